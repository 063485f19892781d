"""Runs on their way to disk."""

import errno
from pathlib import Path
from typing import Any

import pytest

from cattailer.media import bwf, journal, wavfile
from cattailer.services.session import demo
from tests.helpers.plans import begin, run_for, start


class RunsFull:
    """A file on a disk that takes ``room`` bytes altogether."""

    def __init__(self, path: Path, room: list[int]) -> None:
        self._file = bwf.create_new(path)
        self._room = room
        self._armed = False

    def write(self, data: bytes) -> int:
        if self._file.tell() >= bwf.HEADER_BYTES:
            if self._room[0] < len(data):
                part = self._file.write(data[: max(0, self._room[0])])
                self._room[0] = 0
                if part:
                    return part
                raise OSError(errno.ENOSPC, "No space left on device")
            self._room[0] -= len(data)
        return self._file.write(data)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._file, name)


def test_a_full_disk_ends_the_run_and_keeps_everything_until_then(tmp_path: Path) -> None:
    room = [10 * 3 * 60_000]
    engine = start(demo.plan(True))
    run = begin(engine, tmp_path, lambda path: RunsFull(path, room))
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
    story = journal.read(tmp_path / "run.journal.jsonl")
    assert story is not None
    assert story.ended


def test_a_run_that_cannot_open_leaves_nothing_behind(tmp_path: Path) -> None:
    (tmp_path / "Cello.wav").write_bytes(b"precious")
    engine = start(demo.plan(True))
    with pytest.raises(FileExistsError):
        begin(engine, tmp_path)
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["Cello.wav"]
    assert (tmp_path / "Cello.wav").read_bytes() == b"precious"
