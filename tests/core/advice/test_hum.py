"""Hum in rooms with music: found where it is, and nowhere else."""

import numpy as np
import pytest

from cattailer.core.advice import faults
from cattailer.core.sound.rowsound import RowListener
from cattailer.liveroom.room import Room
from cattailer.services.session import demo
from cattailer.services.stages.levels.watch import ROUND_S, judge
from tests.helpers.rooms import PREAMPS, PROFILE, listen

RATE, BLOCK = 48000, 12_288
MODES = (["follow"], ["perform"], ["check"], ["perform", "rest", "check"])


def rehearsed(seed: int, seconds: float, socket: int = 0, since_s: float = 0.0, dbu: float = -50.0) -> list[tuple[float, str]]:
    """When hum was told of, and in which words, while the demo's players rehearse; it is planted at a socket."""
    room = Room(PROFILE, RATE, demo.tempo(), seed)
    room.set_preamps(PREAMPS, 0)
    room.start()
    modes = MODES[seed % len(MODES)]
    for n, name in enumerate(room.players):
        room.ask(name, modes[n % len(modes)], 0)
    told: list[tuple[float, str]] = []
    lately: list[np.ndarray] = []
    listener, got, planted = None, 0, not socket
    for at in range(0, round(seconds * RATE), BLOCK):
        if not planted and at >= since_s * RATE:
            room.hum(socket, dbu, at)
            planted = True
        sound = listen(room, BLOCK, start=at)
        listener = listener or RowListener(len(sound), RATE, lately=lately)
        listener.add(sound)
        got += BLOCK
        if got >= ROUND_S * RATE:
            found = judge(demo.shape().patch, PROFILE, listener.sounds(), {}, np.zeros((len(sound), 2), np.float32))
            told += [((at + BLOCK) / RATE, f.text) for f in found if "hums" in f.text]
            lately, listener, got = list(listener.lately), None, 0
    return told


@pytest.mark.parametrize("seed", [4, 5, 6, 7])
def test_a_rehearsal_without_hum_accuses_nobody(seed: int) -> None:
    assert rehearsed(seed, 25) == []


@pytest.mark.parametrize(("seed", "socket", "name"), [(5, 6, "Frame drum"), (6, 3, "Cello")])
def test_planted_hum_is_found_within_ten_seconds(seed: int, socket: int, name: str) -> None:
    told = rehearsed(seed, 18, socket, 4.3)
    assert told
    assert told[0][0] - 4.3 < 10.0
    assert {words.split(",")[0] for _, words in told} == {f"{name} hums at {faults.MAINS_HZ[0]} Hz"}
