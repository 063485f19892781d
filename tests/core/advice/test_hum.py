"""Hum in rooms with music: found where it is, whatever its partials, and nowhere else."""

import numpy as np
import pytest

from cattailer.core.advice import hum
from cattailer.core.sound.lowend import LowEnd
from cattailer.core.sound.rowsound import RowListener
from cattailer.liveroom.room import Room
from cattailer.services.session import demo
from cattailer.services.stages.levels.watch import ROUND_S, judge
from tests.helpers.rooms import PREAMPS, PROFILE, listen
from tests.helpers.signals import noise_of, sine

RATE, BLOCK = 48000, 12_288
MODES = (["follow"], ["perform"], ["check"], ["perform", "rest", "check"])
SECONDS = 8.0
Row = np.ndarray


def found(*rows: Row) -> hum.Humming:
    low_end = LowEnd(len(rows), RATE)
    low_end.add(np.stack(rows).astype(np.float32))
    return hum.find(low_end.lately, low_end.rate_hz)


def hissing(dbfs: float = -80.0, seed: int = 1) -> Row:
    return noise_of(SECONDS, dbfs, seed)


def humming(partials: tuple[int, ...], dbfs: float = -70.0, mains_hz: float = 50.0) -> Row:
    return sum((sine(mains_hz * k, dbfs, SECONDS) for k in partials), np.zeros(round(SECONDS * RATE)))


def notes(hz: tuple[float, ...], every_s: float, decay_s: float, dbfs: float = -12.0, held_s: float | None = None) -> Row:
    """Tones with three partials, one after the other: plucked and left to decay by 60 dB, or held and let go."""
    out, length = np.zeros(round(SECONDS * RATE)), round((held_s or every_s) * RATE)
    t = np.arange(length) / RATE
    for n, at in enumerate(np.arange(0.1, SECONDS, every_s)):
        tone = sum(np.sin(2 * np.pi * k * hz[n % len(hz)] * t) / k for k in (1, 2, 3))
        tone = tone * (10 ** (-3 * t / decay_s) if decay_s else 1.0) * np.minimum(1.0, np.minimum(t, t[::-1]) / 0.01)
        first = round(at * RATE)
        out[first : first + length] += tone[: len(out) - first]
    return out * 10 ** (dbfs / 20)


@pytest.mark.parametrize("partials", [(1,), (1, 3, 5, 7), (2, 4, 6, 8), (1, 2, 4), (3,), (5, 7), tuple(range(1, 9))])
@pytest.mark.parametrize("mains_hz", [49.83, 60.1])
@pytest.mark.parametrize("played", ["nothing", "bass", "voice"])
def test_hum_is_found_whatever_its_partials_and_whatever_is_played(
    partials: tuple[int, ...], mains_hz: float, played: str
) -> None:
    music = {
        "nothing": 0.0, "bass": notes((41.2, 49.0, 55.0, 61.7), 1.4, 0.7),
        "voice": notes((131.0, 147.0, 165.0), 0.9, 0.0, held_s=0.3),
    }[played]
    got = found(hissing() + humming(partials, -65.0, mains_hz) + music)
    assert got.mains_hz == (round(mains_hz),)
    assert got.hz == pytest.approx(mains_hz, abs=0.03)
    if played == "nothing":
        assert got.dbfs[0] == pytest.approx(-68.0 + 10 * np.log10(sum(k * round(mains_hz) < 430 for k in partials)), abs=0.3)


@pytest.mark.parametrize("music", [
    notes((49.0,), 1.5, 4.0), notes((50.0,), 1.5, 4.0), notes((50.1,), 1.0, 0.0, held_s=0.6), notes((61.7, 58.3), 0.5, 10.0),
    *(notes((hz,), 9.0, 0.0) for hz in (47.5, 49.0, 49.6, 50.4, 51.9, 55.0, 58.3, 59.5, 60.5, 61.7, 98.0, 246.9)),
], ids=lambda _: "music")
def test_notes_are_no_hum(music: Row) -> None:
    assert not found(hissing() + music).dbfs


def test_a_machine_that_drums_in_step_with_the_mains_is_no_hum() -> None:
    for hz in (50.0, 54.0, 60.0):
        assert not found(hissing() + notes((hz,), 0.5, 1.0), hissing(seed=2) + notes((hz,), 0.4, 2.0)).dbfs


def test_a_room_hums_at_one_frequency() -> None:
    got = found(hissing() + humming((1, 3, 5)), hissing(seed=2) + humming((1,), -60.0, 50.15), hissing(seed=3) + humming((2, 4)))
    assert set(got.dbfs) == {0, 2}
    assert found(hissing() + humming((6,))).mains_hz == (50, 60), "300 Hz may be either"


def test_it_says_where_no_gap_let_it_listen() -> None:
    ringing = notes((50.0, 53.0, 57.0), 0.3, 12.0, -6.0)
    got = found(hissing() + humming((1, 2, 3)) + ringing, hissing(seed=2), hissing(seed=3) + notes((49.0,), 1.5, 1.0))
    assert not got.dbfs
    assert got.covered == {0}
    assert found(hissing()[: 5 * RATE]) == hum.Humming(), "too little to tell"


def rehearsed(seed: int, seconds: float, socket: int = 0, since_s: float = 0.0, dbu: float = -50.0) -> list[tuple[float, str]]:
    """When hum was told of, and in which words, while the demo's players rehearse; it is planted at a socket."""
    room = Room(PROFILE, RATE, demo.tempo(), seed)
    room.set_preamps(PREAMPS, 0)
    room.start()
    modes = MODES[seed % len(MODES)]
    for n, name in enumerate(room.players):
        room.ask(name, modes[n % len(modes)], 0)
    told: list[tuple[float, str]] = []
    listener, low_end, got, planted = None, LowEnd(PROFILE.inputs, RATE), 0, not socket
    for at in range(0, round(seconds * RATE), BLOCK):
        if not planted and at >= since_s * RATE:
            room.hum(socket, dbu, at)
            planted = True
        sound = listen(room, BLOCK, start=at)
        listener = listener or RowListener(len(sound), RATE)
        listener.add(sound)
        low_end.add(sound)
        got += BLOCK
        if got >= ROUND_S * RATE:
            unlike = np.zeros((len(sound), 2), np.float32)
            wrong, _ = judge(demo.shape().patch, PROFILE, listener.sounds(), {}, unlike, low_end)
            told += [((at + BLOCK) / RATE, f.text) for f in wrong if "hums" in f.text]
            listener, got = None, 0
    return told


@pytest.mark.parametrize("seed", [4, 5, 6, 7])
def test_a_rehearsal_without_hum_accuses_nobody(seed: int) -> None:
    assert rehearsed(seed, 25) == []


@pytest.mark.parametrize(("seed", "socket", "name"), [(5, 6, "Frame drum"), (6, 3, "Cello")])
def test_planted_hum_is_found_within_ten_seconds(seed: int, socket: int, name: str) -> None:
    told = rehearsed(seed, 18, socket, 4.3)
    assert told
    assert told[0][0] - 4.3 < 10.0
    assert {words.split(",")[0] for _, words in told} == {f"{name} hums at 50 Hz"}
