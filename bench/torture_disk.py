"""One fault of the disk, or one power cut, at a random operation of a random run."""

import errno
import logging
import random
from io import StringIO
from pathlib import Path
from typing import Any

import numpy as np
from tests.helpers.disks import FaultyDisk, ForgetfulDisk
from tests.helpers.plans import begin, finish, run_for, start

from cattailer.engine.block.engine import Engine
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal, recovery, wavfile
from cattailer.services.session import demo

FAULTS = ("EIO", "ENOSPC", "EROFS", "short writes", "stall", "vanished folder")
OPERATIONS = ("write_at", "sync", "truncate", "sync_folder", "append", "any")


class BrokenLog(StringIO):
    """The log lies on the same disk."""

    def write(self, text: str, /) -> int:
        raise OSError(errno.ENOSPC, "No space left on device")


def listen(engine: Engine) -> list[np.ndarray]:
    """Everything that comes in from now on."""
    seen: list[np.ndarray] = []
    process = engine.process

    def watch(inputs: np.ndarray, outputs: np.ndarray, sample: int, lost: int) -> Any:
        seen.append(inputs.copy())
        return process(inputs, outputs, sample, lost)

    engine.process = watch  # type: ignore[method-assign]
    return seen


def synced_of(path: Path) -> int:
    return journal.read(path).samples if path.exists() else 0


def check_files(folder: Path, engine: Engine, seen: list[np.ndarray], first: int, synced: int) -> list[str]:
    """Every file opens, holds what came in, and no less than was synced."""
    wrong = []
    arrived = np.concatenate(seen, axis=1)
    waves = sorted(folder.glob("*.wav"))
    tracks = {f"{t.name.replace(' ', '-')}.wav": t.inputs[0] for t in engine.plan.tracks}
    for path in waves:
        try:
            info = wavfile.inspect(path)
        except (OSError, ValueError) as why:
            wrong.append(f"{path.name} does not open: {why}")
            continue
        if info.frames < synced:
            wrong.append(f"{path.name} has {info.frames} samples, {synced} were synced")
        want = arrived[tracks[path.name], first : first + info.frames]
        got = wavfile.read(info)[0]
        lost = np.zeros(len(got), bool)
        for marker in info.markers:
            lost[marker.offset : marker.offset + int(marker.label.split()[1])] = True
        if not np.array_equal(got[: len(want)][~lost[: len(want)]], want[~lost[: len(want)]]):
            wrong.append(f"{path.name} holds other sound than came in")
    return wrong


def one_fault(folder: Path, rng: random.Random) -> tuple[str, list[str]]:
    kind, operation = rng.choice(FAULTS), rng.choice(OPERATIONS)
    healing = rng.random() < 0.4
    left = [rng.randint(1, 120)]
    state = {"armed": False, "hit": False, "healed": False}

    def hook(what: str, path: Path, longer: int) -> int | None:
        if not state["armed"] or state["healed"] or what == "is_at":
            return None
        if kind == "short writes":
            return rng.randint(1, 5000) if what == "write_at" else None
        if kind in ("stall", "vanished folder") or operation not in (what, "any"):
            return None
        left[0] -= 1
        if left[0] > 0:
            return None
        state["hit"] = True
        state["healed"] = healing
        if kind == "ENOSPC" and what in ("sync", "sync_folder"):
            return None
        raise OSError(getattr(errno, kind), kind)

    media = folder / "media"
    (media / "session").mkdir(parents=True)
    engine = start(demo.plan(True))
    seen = listen(engine)
    handler = logging.StreamHandler(BrokenLog())
    logging.raiseExceptions = False
    logging.getLogger().addHandler(handler)
    run_for(engine, 1280)
    run = begin(engine, media / "session" / "run-001", FaultyDisk(hook))
    for _ in range(rng.randint(1, 4)):
        _keep_soon(engine)
        run_for(engine, rng.randint(2000, 30_000))
    state["armed"] = True
    home = media
    if kind == "vanished folder":
        home = folder / "elsewhere"
        media.rename(home)
    elif kind == "stall":
        until = engine.sample + rng.randint(100_000, 1_300_000)
        engine.driver.run(engine.process, lambda: engine.sample < until)
    path = home / "session" / "run-001" / "run.journal.jsonl"
    synced = synced_of(path)
    for _ in range(rng.randint(2, 5)):
        _keep_soon(engine)
        run_for(engine, rng.randint(2000, 30_000))
        if not run.done:
            synced = synced_of(path)
    wrong = _end(engine, run, kind, state["hit"])
    state["armed"] = False
    logging.getLogger().removeHandler(handler)
    report = recovery.mend_all(folder)
    wrong += [f"{t.path.name}: {t.says}" for t in report.troubles]
    first = 1280 + engine.driver.latency.round_trip_samples
    wrong += check_files(path.parent, engine, seen, first, synced)
    (folder / "again" / "session").mkdir(parents=True)
    wrong += _next_works(engine, folder / "again" / "session" / "run-002")
    return f"fault {kind}", wrong


def _keep_soon(engine: Engine) -> None:
    """Syncs come once a second by the wall's clock; here, whenever somebody looks."""
    for keeper in engine._recorder._kept:
        keeper._synced_at = 0.0


def _end(engine: Engine, run: RunWriter, kind: str, hit: bool) -> list[str]:
    wrong = []
    told = [m["message"] for m in engine.events if m["topic"] == "event" and m["kind"] == "halt"]
    failed = kind == "vanished folder" or (kind in ("EIO", "ENOSPC", "EROFS") and bool(run.message))
    if failed:
        if not told:
            wrong.append("nobody was told")
        if engine.transport.state != "stopped":
            wrong.append(f"the page says {engine.transport.state}")
    elif run.message:
        wrong.append(f"ended without need: {run.message}")
    engine.soon(engine.stop)
    run_for(engine, 12_000)
    if not run.done or engine.busy:
        wrong.append("the run is not done")
    if kind == "stall" and run.behind and not run.dropouts:
        wrong.append("what the disk lost is not told")
    return wrong


def _next_works(engine: Engine, folder: Path) -> list[str]:
    run = begin(engine, folder)
    run_for(engine, 9000)
    story = finish(engine, run)
    return [] if story.samples >= 9000 and not story.message else [f"the next capture has {story.samples}: {story.message}"]


def one_cut(folder: Path, rng: random.Random) -> list[str]:
    """The power goes: what was not synced is gone, names of files too."""
    root, kept = folder / "disk" / "media", folder / "kept"
    (root / "session").mkdir(parents=True)
    disk = ForgetfulDisk(folder / "disk", kept)
    disk._entries |= {root, root / "session"}
    engine = start(demo.plan(True))
    seen = listen(engine)
    run_for(engine, 1280)
    run = begin(engine, root / "session" / "run-001", disk)
    for _ in range(rng.randint(1, 6)):
        if rng.random() < 0.7:
            _keep_soon(engine)
        run_for(engine, rng.randint(2000, 40_000))
    if rng.random() < 0.3:
        engine.soon(engine.stop)
        run_for(engine, rng.choice((128, 600, 13_000)))
    synced = synced_of(root / "session" / "run-001" / "run.journal.jsonl")
    disk.cut()
    del run
    report = recovery.mend_all(kept)
    wrong = [f"{t.path.name}: {t.says}" for t in report.troubles]
    first = 1280 + engine.driver.latency.round_trip_samples
    found = kept / "media" / "session" / "run-001"
    if synced and not found.is_dir():
        return [*wrong, f"{synced} samples were synced, and nothing is there"]
    return wrong + (check_files(found, engine, seen, first, synced) if found.is_dir() else [])
