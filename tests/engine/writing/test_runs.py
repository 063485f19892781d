"""Runs on their way to disk."""

import errno
import threading
from pathlib import Path

import numpy as np
import pytest

from cattailer.core.plan import TrackPlan
from cattailer.engine.block.ring import Ring
from cattailer.engine.writing.runkeeper import RunKeeper
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal, recovery, wavfile
from cattailer.services.session import demo
from tests.helpers.disks import FaultyDisk, ForgetfulDisk, full_after
from tests.helpers.plans import begin, finish, opened, plan_of, run_for, sound, start

ONE = TrackPlan(1, "One", (0,), True)


def _ended(tmp_path: Path) -> journal.RunStory:
    return journal.read(tmp_path / "run.journal.jsonl")


def test_a_full_disk_ends_the_run_and_keeps_everything_until_then(tmp_path: Path) -> None:
    engine = start(demo.plan(True))
    run = begin(engine, tmp_path, full_after(10 * 3 * 60_000 + 400_000))
    run_for(engine, 48000 * 4)
    assert run.done
    assert "disk is full" in run.message
    assert engine.transport.state == "stopped"
    assert any(m.get("kind") == "halt" and "disk is full" in m["message"] for m in engine.events)
    infos = [wavfile.inspect(p) for p in sorted(tmp_path.glob("*.wav"))]
    assert len(infos) == 10
    assert {i.frames for i in infos} == {run.frames}
    assert 40_000 <= run.frames <= 60_000
    assert not any(i.cut_short for i in infos)


@pytest.mark.parametrize("number", [errno.ENOSPC, errno.EIO, errno.EROFS])
def test_after_a_disk_that_fails_for_good_the_next_capture_works(tmp_path: Path, number: int) -> None:
    """Not even the journal's end can be written. The run is done all the same, and the next one captures."""
    broken = [False]

    def hook(what: str, path: Path, size: int) -> None:
        if broken[0] and what != "is_at":
            raise OSError(number, "The disk says no")

    engine = start(demo.plan(True))
    (tmp_path / "1").mkdir()
    run = begin(engine, tmp_path / "1" / "a", FaultyDisk(hook))
    run_for(engine, 60_000)
    kept = run.frames
    broken[0] = True
    run_for(engine, 100_000)
    assert run.done
    assert not engine.busy
    assert engine.transport.state == "stopped"
    assert [m["kind"] for m in engine.events if m["topic"] == "event"] == ["halt", "run"], "told before it was closed"
    mended = recovery.mend_run(tmp_path / "1" / "a" / "run.journal.jsonl")
    assert mended is not None
    assert all(k.samples >= kept for k in mended.files)
    broken[0] = False
    again = begin(engine, tmp_path / "1" / "b")
    run_for(engine, 30_000)
    assert finish(engine, again).samples >= 30_000


def test_a_slow_sync_holds_up_neither_writing_nor_the_next_run(tmp_path: Path) -> None:
    gate = threading.Event()

    def hook(what: str, path: Path, size: int) -> None:
        if what == "sync":
            gate.wait(20)

    engine = start(plan_of(ONE))
    run = opened(engine, tmp_path / "a", FaultyDisk(hook))
    keeper = RunKeeper(run)
    run.begin(0)
    ring = engine.ring
    syncing = threading.Thread(target=keeper.keep)
    syncing.start()
    ring.write(np.full((ring._table.shape[0], 8000), 0.25, np.float32))
    run.write()
    assert run.frames == 8000
    gate.set()
    syncing.join()
    run.finish(8000)
    run.write()
    keeper.keep()
    assert run.done
    assert (sound(tmp_path / "a", "One") == 0.25).all()


def test_a_writer_far_behind_still_stops_where_it_was_told(tmp_path: Path) -> None:
    """The disk was slower than the ring is long: what was overwritten is silence, told as the disk's doing, and counted."""
    ring = Ring(1, 100_000)
    header = journal.RunHeader(
        "u", 1, 1, "T", 48000, 24, 0, "2026-05-04T14:02:31+00:00", (journal.RunFile(1, "One", "One.wav", 1, (0,)),)
    )
    events: list[object] = []
    run = RunWriter(tmp_path / "run", "run", header, ring, events.append)  # type: ignore[arg-type]
    keeper = RunKeeper(run)
    run.begin(0)
    for _ in range(30):
        ring.write(np.full((1, 10_000), 0.25, np.float32))
    run.finish(120_000)
    run.write()
    keeper.keep()
    assert run.done
    assert run.story is not None
    (lost,) = run.story.dropouts
    assert (run.frames, lost, run.behind) == (120_000, journal.Dropout(0, 120_000, 0.0, "disk"), 1)
    info = wavfile.inspect(tmp_path / "run" / "One.wav")
    assert info.frames == 120_000
    assert "the disk was too slow" in info.markers[0].label


def test_a_folder_that_is_gone_ends_the_run_and_is_not_made_again(tmp_path: Path) -> None:
    media = tmp_path / "media"
    (media / "session").mkdir(parents=True)
    engine = start(plan_of(ONE))
    run = begin(engine, media / "session" / "run-001")
    run_for(engine, 30_000)
    media.rename(tmp_path / "away")
    keeper = next(k for k in engine._recorder._kept)
    keeper._synced_at = 0.0
    run_for(engine, 30_000)
    assert run.done
    assert "not where it was" in run.message
    assert engine.transport.state == "stopped"
    assert not media.exists()
    info = wavfile.inspect(tmp_path / "away" / "session" / "run-001" / "One.wav")
    assert info.frames >= 30_000 - engine.round_trip_samples - 12_000
    with pytest.raises(FileNotFoundError):
        begin(engine, media / "session" / "run-002")
    assert not media.exists()


def test_a_power_cut_keeps_what_was_synced(tmp_path: Path) -> None:
    root, kept = tmp_path / "disk" / "media", tmp_path / "kept"
    (root / "session").mkdir(parents=True)
    engine = start(plan_of(ONE, TrackPlan(2, "Two", (1,), True)))
    disk = ForgetfulDisk(tmp_path / "disk", kept)
    disk._entries |= {root, root / "session"}
    run = begin(engine, root / "session" / "run-001", disk)
    run_for(engine, 40_000)
    (keeper,) = engine._recorder._kept
    keeper._synced_at = 0.0
    engine.keep()
    synced = run.frames
    assert synced > 20_000
    run_for(engine, 10_000)
    disk.cut()
    (path,) = journal.find_all(kept)
    mended = recovery.mend_run(path)
    assert mended is not None
    assert [k.samples >= synced for k in mended.files] == [True, True]


def test_a_run_that_cannot_open_leaves_nothing_behind(tmp_path: Path) -> None:
    (tmp_path / "Cello.wav").write_bytes(b"precious")
    engine = start(demo.plan(True))
    with pytest.raises(FileExistsError):
        begin(engine, tmp_path)
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["Cello.wav"]
    assert (tmp_path / "Cello.wav").read_bytes() == b"precious"
