"""One fault of the disk in a random loop, punch or sound-started capture: no sample doubled or misplaced, nothing missing
that was not told."""

import errno
import random
from pathlib import Path

import numpy as np
from tests.helpers.disks import FaultyDisk
from tests.helpers.plans import run_for
from tests.helpers.ramp import TURN, capture, numbers, ramp

from cattailer.core.takes.course import NOW, SOUND, SOUNDS, Course
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_inline
from cattailer.media import journal, recovery

FAULTS = ("none", "EIO", "ENOSPC", "refused folders", "stall")
LOUD = 1 << 20


def _course(kind: str, rng: random.Random) -> Course:
    start, length = rng.randint(0, 50_000), rng.randint(24_000, 70_000)
    if kind == "loop":
        return Course(start=start, until=start + length, loops=True, passes=rng.choice((0, 3, 7)),
                      pre_roll=rng.choice((0, 9_001)))
    if kind == "punch":
        return Course(start=start, until=start + length, pre_roll=rng.randint(0, 48_000), joins=True,
                      post_roll=rng.randint(0, 48_000))
    begin = SOUND if kind == "sound" else SOUNDS
    return Course(begin, threshold=LOUD / (1 << 23), before=rng.randint(0, 24_000), gap=12_000, tail=4_000)


def _bursts(rng: random.Random) -> list[tuple[int, int]]:
    at, out = 0, []
    while at < 1_500_000:
        at += rng.randint(20_000, 90_000)
        out.append((at, at := at + rng.randint(1, 60_000)))
    return out


def one_course(folder: Path, rng: random.Random) -> tuple[str, list[str]]:
    kind, fault = rng.choice(("loop", "punch", "sound", "sounds")), rng.choice(FAULTS)
    course, state, left = _course(kind, rng), {"on": False, "hit": False}, [rng.randint(1, 60)]

    def hook(what: str, path: Path, longer: int) -> int | None:
        if not state["on"]:
            return None
        if fault == "refused folders" and what == "make_folder":
            raise OSError(errno.ENOSPC, "ENOSPC")
        if fault in ("EIO", "ENOSPC") and what in ("write_at", "append"):
            left[0] -= 1
            if left[0] == 0:
                state["hit"] = True
                raise OSError(getattr(errno, fault), fault)
        return None

    bursts = _bursts(rng)
    shape = None if course.begin == NOW else lambda at: _sound(at, bursts)
    engine = ramp(rng.choice((32, 128, 1024)), FaultyDisk(hook), shape=shape)
    run_for(engine, rng.randint(1_000, 60_000))
    captures = capture(engine, folder, course)
    run_for(engine, rng.randint(20_000, 90_000))
    state["on"] = True
    if fault == "stall":
        until = engine.sample + rng.randint(48_000, 15 * 48_000)
        engine.driver.run(engine.process, lambda: engine.sample < until)
    run_for(engine, rng.randint(10_000, 400_000))
    state["on"] = fault in ("EIO", "ENOSPC")
    run_for(engine, rng.randint(10_000, 200_000))
    engine.soon(engine.stop)
    end = engine.sample + 1_000_000
    run_inline(engine, lambda: (engine.busy or bool(engine.courses)) and engine.sample < end)
    wrong = [] if not engine.busy and not engine.courses else ["it never came to an end"]
    report = recovery.mend_all(folder)
    wrong += [f"{t.path.name}: {t.says}" for t in report.troubles]
    wrong += _look(engine, folder, course, bool(state["hit"]))
    del captures
    return f"{kind}, {fault}", wrong


def _sound(at: np.ndarray, bursts: list[tuple[int, int]]) -> np.ndarray:
    """Counts in the low digits, and is loud within bursts."""
    loud = np.zeros(len(at), bool)
    for first, stop in bursts:
        loud |= (at >= first) & (at < stop)
    return np.asarray((at % LOUD + loud * 2 * LOUD) / float(1 << 23))


def _look(engine: Engine, folder: Path, course: Course, hit: bool) -> list[str]:
    wrong, at = [], None
    turn = TURN if course.begin == NOW else LOUD
    stories = [journal.read(path) for path in sorted(folder.glob("run-*/*.jsonl"))]
    told = any(m["topic"] == "event" and m["kind"] == "halt" for m in engine.events)
    for story in [s for s in stories if s.samples]:
        sound = numbers(story.folder / story.header.files[0].path) % turn
        whole = (np.diff(sound) % turn == 1).all()
        if not whole and not story.dropouts:
            wrong.append(f"pass {story.header.pass_number}: samples are missing or doubled")
        if course.loops and at is not None and (sound[0] - at) % turn != 1 and not hit:
            wrong.append(f"pass {story.header.pass_number}: the seam is not whole")
        if story.message and not told:
            wrong.append("nobody was told")
        if story.dropouts and not hit:
            wrong.append("a stall that the ring outlasts cost sound")
        at = sound[-1]
    return wrong
