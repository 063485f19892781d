"""The stand-in: its sound is made of time and seed alone, and physics holds."""

from dataclasses import replace

import numpy as np
import pytest

from cattailer.core.plan import Preamps
from cattailer.engine.driver import Timeline
from cattailer.liveroom.clock import VirtualClock
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
