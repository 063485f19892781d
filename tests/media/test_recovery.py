"""Mending what broke off: nothing that sounds is cut or changed, and one bad file is no matter to the others."""

import json
import os
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from cattailer.media import bwf, journal, recovery, runfile, wavfile
from tests.helpers.plans import ORIGIN

SOUND = np.random.default_rng(1).uniform(-1, 1, (1, 9000)).astype(np.float32)


def _header(files: int = 2, **changes: object) -> journal.RunHeader:
    made = journal.RunHeader("u-1", 1, 1, "Ferry", 48000, 24, 0, "2026-05-04T14:02:31+00:00", tuple(
        journal.RunFile(n, f"t{n}", f"t{n}.wav", 1, (n,)) for n in range(files)
    ))
    return replace(made, **changes)  # type: ignore[arg-type]


def _broken_off(folder: Path, lengths: list[int], synced: int = 3000) -> journal.JournalWriter:
    """A run as a crash leaves it: its files are longer than their headers say."""
    folder.mkdir(parents=True, exist_ok=True)
    header = _header(len(lengths))
    log = journal.JournalWriter(folder / f"run{journal.SUFFIX}", header)
    for file, length in zip(header.files, lengths, strict=True):
        writer = bwf.BwfWriter(folder / file.path, runfile.format_of(header, file), runfile.origin_of(header, file))
        writer.write(SOUND[:, : min(length, synced)])
        writer.refresh()
        writer.write(SOUND[:, min(length, synced) : length])
        writer.abandon()
    if synced:
        log.synced(synced)
    return log


def _mend(log: journal.JournalWriter) -> recovery.Mended:
    log.close()
    mended = recovery.mend_run(log.path)
    assert mended is not None
    return mended


def _sound(path: Path) -> np.ndarray:
    info = wavfile.inspect(path)
    assert info.sizes_fit
    return wavfile.read(info)


def test_each_file_keeps_its_own_length(tmp_path: Path) -> None:
    log = _broken_off(tmp_path, [5000, 4700])
    log.dropout(journal.Dropout(100, 64))
    with open(log.path, "a") as file:
        file.write('{"kind": "syn')
    assert recovery.mend_run(log.path) is None, "its writer is alive"
    mended = _mend(log)
    assert (mended.story.samples, mended.story.ended, mended.story.recovered) == (5000, True, True)
    assert mended.story.dropouts == [journal.Dropout(100, 64)]
    assert [f.samples for f in mended.story.files] == [5000, 4700]
    assert "t1.wav ends 0.01 s earlier" in mended.story.message
    for n, length in ((0, 5000), (1, 4700)):
        assert np.array_equal(_sound(tmp_path / f"t{n}.wav"), wavfile.read(wavfile.inspect(tmp_path / f"t{n}.wav")))
        assert np.abs(_sound(tmp_path / f"t{n}.wav") - SOUND[:, :length]).max() < 2**-22
    assert recovery.mend_run(log.path) is None, "it has ended by now"


@pytest.mark.parametrize("content", [None, b"", b"RIFF", b"RIFF" * 3000, bytes(4096)])
def test_a_file_that_is_gone_or_damaged_takes_nothing_from_the_others(tmp_path: Path, content: bytes | None) -> None:
    log = _broken_off(tmp_path, [5000, 5000, 5000])
    (tmp_path / "t1.wav").unlink()
    if content is not None:
        (tmp_path / "t1.wav").write_bytes(content)
    mended = _mend(log)
    assert [k.samples for k in mended.files] == [5000, 0, 5000]
    for n in (0, 2):
        assert _sound(tmp_path / f"t{n}.wav").shape == (1, 5000)
    if content:
        assert (tmp_path / "t1.wav").read_bytes()[:4] in (content[:4], b"RIFF")
    if content is None:
        assert "t1.wav is not there" in mended.story.message


def test_a_header_that_never_reached_the_disk_is_written_anew(tmp_path: Path) -> None:
    log = _broken_off(tmp_path, [5000, 5000])
    with open(tmp_path / "t1.wav", "r+b") as file:
        file.write(bytes(4096))
    mended = _mend(log)
    assert "written anew" in mended.files[1].says
    assert np.array_equal(_sound(tmp_path / "t1.wav"), _sound(tmp_path / "t0.wav"))


def test_what_follows_the_sound_never_becomes_sound(tmp_path: Path) -> None:
    """Killed while it closed its files: one has its markers, and the header does not know of them yet."""
    log = _broken_off(tmp_path, [5000, 5001])
    log.whole(5000)
    with open(tmp_path / "t0.wav", "ab") as file:
        file.write(bwf._cues([bwf.Marker(3, "dropout")]))
    mended = _mend(log)
    assert [k.samples for k in mended.files] == [5000, 5000]
    assert _sound(tmp_path / "t0.wav").shape == (1, 5000)


def test_a_run_in_which_nothing_was_captured_is_taken_away(tmp_path: Path) -> None:
    """As a crash during the count-in leaves it."""
    run, head = tmp_path / "run-001", tmp_path / "run-001" / "head"
    log = _broken_off(run, [0, 0], synced=0)
    (run / ".run.reserve").write_bytes(bytes(100))
    (run / "overview").mkdir()
    head.mkdir()
    before = journal.JournalWriter(head / log.path.name, _header(1, run="u-1-head", lead_in_of="u-1"))
    writer = bwf.BwfWriter(head / "t0.wav", bwf.Format(48000, 1, 24), ORIGIN)
    writer.write(SOUND)
    writer.close()
    for each in (log, before):
        each.close()
    report = recovery.mend_all(tmp_path)
    assert report.troubles == []
    assert report.emptied >= 1
    assert list(tmp_path.iterdir()) == []


def test_one_bad_journal_never_stops_the_others(tmp_path: Path) -> None:
    for name in ("a", "b", "c", "d"):
        _broken_off(tmp_path / name, [4000]).close()
    path = tmp_path / "a" / f"run{journal.SUFFIX}"
    first = json.loads(path.read_text().splitlines()[0])
    (tmp_path / "a" / path.name).write_text(json.dumps({k: v for k, v in first.items() if k != "rate_hz"}) + "\n")
    (tmp_path / "b" / path.name).write_text(json.dumps({**first, "run": "u-b", "mood": "calm"}) + "\n")
    (tmp_path / "c" / path.name).write_bytes(bytes(4096))
    report = recovery.mend_all(tmp_path)
    assert sorted(m.story.folder.name for m in report.mended) == ["b", "d"]
    assert sorted(t.path.parent.name for t in report.troubles) == ["a", "c"]
    assert any("rate_hz" in t.says for t in report.troubles)
    assert [t.path for t in recovery.look(tmp_path)] == [t.path for t in report.troubles]


def test_the_words_on_disk_stay(tmp_path: Path) -> None:
    """A journal says ``head_of``, as the first ones did, though the code calls it a lead-in."""
    path = tmp_path / f"run{journal.SUFFIX}"
    log = journal.JournalWriter(path, replace(_header(), lead_in_of="u-0"))
    log.close()
    line = json.loads(path.read_text().splitlines()[0])
    assert line["head_of"] == "u-0"
    assert "lead_in_of" not in line
    assert journal.read(path).header.lead_in_of == "u-0"


def test_a_folder_that_goes_while_journals_are_looked_for_is_passed_over(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """As when a count-in is called off at that moment."""
    for run in ("run-001", "run-002"):
        (tmp_path / "s" / run).mkdir(parents=True)
    kept = tmp_path / "s" / "run-002" / "run.journal.jsonl"
    kept.write_text("")
    scan = os.scandir

    def gone(path: str) -> Any:
        if str(path).endswith("run-001"):
            raise FileNotFoundError(path)
        return scan(path)

    monkeypatch.setattr(os, "scandir", gone)
    assert journal.find_all(tmp_path) == [kept]
