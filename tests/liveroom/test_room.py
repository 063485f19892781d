"""The stand-in: its sound is made of time and seed alone, and physics holds."""

from dataclasses import replace

import numpy as np
import pytest

from cattailer.core.plan import Preamps
from cattailer.engine.driver import Timeline
from cattailer.liveroom.clock import VirtualClock, WallClock
from cattailer.liveroom.driver import LiveRoom
from cattailer.services.session import demo
from tests.helpers.rooms import PREAMPS, PROFILE, listen, rms_db, room


def test_the_same_whatever_the_block() -> None:
    a, b = listen(room(), 98_304, 1024), listen(room(), 98_304, 32)
    assert np.array_equal(a, b)


def test_words_are_24_bit_words() -> None:
    words = listen(room(), 20_480) * 2.0**23
    assert np.array_equal(words, np.rint(words))
    assert np.abs(words).max() <= 2**23


def test_a_check_is_about_6_db_softer_and_rest_is_silence() -> None:
    performed = listen(room(everyone="rest", frame_drum="perform"), 49_152 * 3)[5]
    checked = listen(room(everyone="rest", frame_drum="check"), 49_152 * 3)[5]
    silent = listen(room(everyone="rest"), 49_152)[5]
    assert rms_db(performed) - rms_db(checked) == pytest.approx(6.0, abs=1.5)
    assert rms_db(silent) < -85


def test_one_player_is_heard_through_the_others_microphones() -> None:
    alone = listen(room(everyone="rest", frame_drum="perform"), 98_304)
    silent = listen(room(everyone="rest"), 98_304)
    for socket in (1, 3, 5, 7, 8, 9, 10):
        assert rms_db(alone[socket - 1]) > rms_db(silent[socket - 1]) + 10, socket
    assert rms_db(alone[3]) == pytest.approx(rms_db(silent[3]), abs=1), "a pickup hears no air"


def test_a_condenser_without_48_v_gives_nothing() -> None:
    made = room()
    without = Preamps(PREAMPS.gain_db, (False,) * 16, PREAMPS.pad_db)
    made.set_preamps(without, 0)
    words = listen(made, 98_304)
    assert rms_db(words[2]) < -80
    assert rms_db(words[5]) > -60


def test_gain_is_gain_and_too_much_clips_hard() -> None:
    base = listen(room(), 98_304)
    made = room()
    made.set_preamps(Preamps(tuple(g + 6 for g in PREAMPS.gain_db[:10]) + (0.0,) * 6, PREAMPS.phantom, PREAMPS.pad_db), 0)
    louder = listen(made, 98_304)
    assert rms_db(louder[6]) - rms_db(base[6]) == pytest.approx(6.0, abs=0.05)
    made.set_preamps(Preamps((60.0,) * 16, PREAMPS.phantom, PREAMPS.pad_db), 98_304)
    hot = listen(made, 49_152, start=98_304)
    assert hot.max() == np.float32(1 - 2**-23)
    assert hot.min() == -1.0


def test_takes_differ_by_seed_and_repeat_by_seed() -> None:
    def take(seed: int) -> np.ndarray:
        made = room(everyone="follow")
        made.timeline(0, True, 0, seed)
        return listen(made, 98_304)

    assert np.array_equal(take(1), take(1))
    assert not np.array_equal(take(1), take(2))


def test_followers_play_the_bar_they_hear() -> None:
    """Rolling from bar 9 sounds like bar 9 of a roll from bar 1, once the first stroke has rung."""
    made = room(everyone="rest", frame_drum="follow")
    made.timeline(0, True, 0, 5)
    bar9 = demo.tempo().sample_of(9)
    first = listen(made, bar9 // 1024 * 1024 + 147_456)[5, bar9 + 60_000 : bar9 + 120_000]
    again = room(everyone="rest", frame_drum="follow")
    again.timeline(0, True, bar9, 5)
    second = listen(again, 122_880)[5, 60_000:120_000]
    assert rms_db(first - second) < rms_db(first) - 30


def test_what_was_rendered_ahead_is_forgotten_on_a_change() -> None:
    made = room(everyone="perform")
    made.read(0, 1000)
    for name in made.players:
        made.ask(name, "rest", 1000)
    after = listen(made, 1024 * 400, start=1000)
    assert rms_db(after[5, -100_000:]) < -85


def test_clocks_tell_what_was_lost(monkeypatch: pytest.MonkeyPatch) -> None:
    now = [100.0]
    slept: list[float] = []
    monkeypatch.setattr("time.monotonic", lambda: now[0])
    monkeypatch.setattr("time.sleep", slept.append)
    wall = WallClock(queue_ms=500)
    wall.start(48000, 128, 0)
    assert wall.wait(128) == 0
    assert slept == [pytest.approx(128 / 48000)]
    now[0] += 0.4
    assert wall.wait(256) == 0, "the queue absorbs it"
    now[0] += 0.6
    lost = wall.wait(384)
    assert lost % 128 == 0
    assert lost == pytest.approx(48000 * 1.0, abs=600)
    virtual = VirtualClock({1000: 256})
    assert [virtual.wait(end) for end in (512, 1024, 1536)] == [0, 256, 0]


def test_a_cable_returns_after_exactly_one_round_trip() -> None:
    driver = LiveRoom(PROFILE, 48000, 64, VirtualClock(), demo.tempo(), cables=((3, 12),))
    driver.set_preamps(PREAMPS)
    sent, back = [], []

    def process(inputs: np.ndarray, outputs: np.ndarray, sample: int, lost: int) -> Timeline:
        outputs[:] = 0
        outputs[3, 5] = 0.5 if sample == 640 else 0.0
        sent.append(outputs[3].copy())
        back.append(inputs[12].copy())
        return Timeline(False, 0, 0, 0)

    driver.run(process, lambda: driver.sample < 6400)
    out, into = np.concatenate(sent), np.concatenate(back)
    assert into.argmax() - out.argmax() == driver.latency.round_trip_samples
    assert into.max() == pytest.approx(0.5, abs=1e-3)


def test_cables_swap_and_knocks_follow_the_microphone() -> None:
    made = room(everyone="rest")
    made.read(0, 1024)
    made.knock("bass clarinet", 1024)
    before = listen(made, 8192, start=1024)
    assert np.abs(before[4]).max() > 30 * np.abs(before[[0, 2, 5, 6]]).max()
    made.swap(5, 12, 9216)
    made.set_preamps(replace(PREAMPS, gain_db=(50.0,) * 16), 9216)
    made.knock("bass clarinet", 9216)
    after = listen(made, 8192, start=9216)
    assert np.abs(after[11]).max() > 30 * np.abs(after[4]).max()
    assert {s: p.name for s, p in made.plugged.items()}[12] == "bass clarinet"
    made.swap(12, 5, 17_408)
    assert made.plugged[5].name == "bass clarinet"


def test_the_polarity_switch_turns_the_sound_over() -> None:
    plain, turned = room(), room()
    turned.set_preamps(replace(PREAMPS, polarity=tuple(n == 2 for n in range(16))), 0)
    a, b = listen(plain, 49_152), listen(turned, 49_152)
    assert np.abs(a[2] + b[2]).max() < 1e-4 * 3
    assert np.abs(a[2]).max() > 0.01
    assert np.array_equal(a[3], b[3])
