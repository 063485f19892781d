"""The stand-in's ten rows from wrong gains: a check, the advice applied, then a performance of the whole tune.
How many rows peak inside the target window, over 20 ways of playing.

usage: python bench/sound_check.py [SEEDS]
"""

import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace

import numpy as np
from common import spread, tell

from cattailer.core.advice import gainadvice
from cattailer.core.patch.patch import PatchInput
from cattailer.core.plan import Preamps
from cattailer.core.sound.meters import TARGET_WINDOW_DBFS
from cattailer.core.sound.rowsound import RowListener
from cattailer.liveroom import tune
from cattailer.liveroom.room import Room
from cattailer.media import profile_toml
from cattailer.services.session.demo import shape, tempo

RATE, CHECK_S = 48000, 20
PROFILE = profile_toml.shipped()["marshgate-16"]
ROWS = [i for i in shape().patch.inputs if i.used]


def listen(room: Room, at: int, seconds: float) -> tuple[RowListener, int]:
    listener = RowListener(PROFILE.inputs, RATE)
    until = at + round(seconds * RATE)
    while at < until:
        stop = min(at + 4096, until)
        listener.add(room.read(at, stop).copy())
        at = stop
    return listener, at


def preamps(rows: list[PatchInput]) -> Preamps:
    by_socket = {r.socket: r for r in rows}
    have = [by_socket.get(s.number) for s in PROFILE.sockets]
    return Preamps(tuple(r.gain_db if r else 0.0 for r in have), tuple(bool(r and r.phantom) for r in have),
                   tuple(s.pad_db if r and r.pad else 0.0 for s, r in zip(PROFILE.sockets, have)))


def one(seed: int) -> tuple[int, int, list[float]]:
    """How many rows peaked inside, how many clipped, and all peaks."""
    rng = np.random.default_rng(seed)
    rows = [replace(r, gain_db=float(np.clip(r.gain_db + rng.integers(-12, 9), 0, 60))) for r in ROWS]
    room = Room(PROFILE, RATE, tempo(RATE), seed)
    room.start()
    room.set_preamps(preamps(rows), 0)
    for name in room.players:
        room.ask(name, "check", 0)
    heard, at = listen(room, 0, CHECK_S)
    sounds = heard.sounds()
    advised = []
    for row in rows:
        s = sounds[row.socket - 1]
        preamp = gainadvice.preamp_of(row, PROFILE)
        assert preamp is not None, "every row of the demo has a preamp"
        told = gainadvice.advise(gainadvice.Heard("check", s.peak_dbfs, s.floor_dbfs, s.clips),
                                 preamp, TARGET_WINDOW_DBFS, gainadvice.Margin())
        advised.append(replace(row, gain_db=told.gain_db, pad=told.pad_in))
    room.set_preamps(preamps(advised), at)
    for name in room.players:
        room.ask(name, "perform", at)
    seconds = tune.BARS * tune.BEATS * 60 / 92
    got = listen(room, at, seconds)[0].sounds()
    peaks = [got[r.socket - 1].peak_dbfs for r in rows]
    low, high = TARGET_WINDOW_DBFS
    return sum(low <= p <= high for p in peaks), sum(got[r.socket - 1].clips > 0 for r in rows), peaks


def main() -> None:
    seeds = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(one, range(1, seeds + 1)))
    by_row = np.array([peaks for _, _, peaks in found])
    low, high = TARGET_WINDOW_DBFS
    outside = (by_row < low) | (by_row > high)
    tell(
        what="rows inside the target window after a check and its advice, of ten", seeds=seeds,
        inside=[f[0] for f in found], seeds_with_nine_or_more=sum(f[0] >= 9 for f in found), clipped=sum(f[1] for f in found),
        rows={r.name: spread([round(v, 2) for v in by_row[:, n].tolist()]) for n, r in enumerate(ROWS)},
        lowest={r.name: round(float(by_row[:, n].min()), 2) for n, r in enumerate(ROWS)},
        outside=[f"{ROWS[r].name} {by_row[s, r]:.1f} (seed {s + 1})" for s, r in zip(*np.nonzero(outside), strict=True)],
    )


if __name__ == "__main__":
    main()
