"""Entering what journals say: each run alone, whatever is wrong with others."""

import json
import shutil
from pathlib import Path

import pytest

from cattailer.media import journal, overview, recovery, wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame, runs, transport
from cattailer.services.session import demo
from cattailer.services.stages.takes import show
from cattailer.store.models import Media, Take
from tests.helpers.queries import queries
from tests.helpers.sessions import make_takes, takes_of

pytestmark = pytest.mark.without_engine


def _copy_of(desk: Desk, name: str, **changes: object) -> Path:
    """The first run once more, as another."""
    path = next(iter(journal.find_all(desk.media)))
    folder = path.parent.with_name(name)
    shutil.copytree(path.parent, folder)
    lines = (folder / path.name).read_text().splitlines()
    first = {**json.loads(lines[0]), "run": name, **changes}
    (folder / path.name).write_text("\n".join([json.dumps(first), *lines[1:]]) + "\n")
    return folder / path.name


def test_a_number_that_is_taken_is_no_reason_to_leave_a_run_out(desk: Desk) -> None:
    session = make_takes(desk)
    _copy_of(desk, "run-copy")
    (story,) = runs.enter_finished(desk)
    assert story.header.number == 1
    newest = frame.show(desk, session).deck.runs[0]
    assert newest.number == 2
    assert "another run's" in newest.message


def test_one_bad_journal_is_named_and_the_others_are_entered(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(runs, "FRESH_S", -1.0)
    session = make_takes(desk)
    bad = _copy_of(desk, "run-bad")
    bad.write_text("garbage\n")
    lost = _copy_of(desk, "run-of-nobody", session=99)
    odd = _copy_of(desk, "run-odd", number=3, mood="calm")
    big = _copy_of(desk, "run-big", number=1 << 40)
    assert [s.path for s in runs.enter_finished(desk)] == [odd]
    assert sorted(t.path for t in runs.troubles(desk)) == sorted([bad, lost, big])
    assert any("run-bad" in str(t.path) and "cannot be read" in t.says for t in runs.troubles(desk))
    words = [f.text for f in frame.show(desk, session).deck.findings if f.kind == "look"]
    assert any("2 more; ./cattailer doctor names them" in text for text in words)
    for path in (bad, lost, big):
        shutil.rmtree(path.parent)
    assert runs.enter_finished(desk) == []
    assert runs.troubles(desk) == []


def test_a_file_that_is_missing_leaves_the_other_takes(desk: Desk) -> None:
    session = make_takes(desk)
    path = _copy_of(desk, "run-002", number=2)
    first = json.loads(path.read_text().splitlines()[0])["files"][0]["path"]
    (path.parent / first).unlink()
    runs.enter_finished(desk)
    newest = frame.show(desk, session).deck.runs[0]
    assert f"{first} cannot be used" in newest.message
    assert [len(row.takes) for row in show.show(desk, session).rows if row.takes] == [1, 2]


def test_a_mended_run_is_there_at_once_and_measured_afterwards(desk: Desk) -> None:
    session = make_takes(desk)
    (before,) = takes_of(desk, session, 0)
    path = _copy_of(desk, "run-002", number=2)
    kept = [line for line in path.read_text().splitlines() if json.loads(line)["kind"] not in ("end", "whole")]
    path.write_text("\n".join(kept) + "\n")
    shutil.rmtree(path.parent / "overview")
    runs.enter_finished(desk)
    newest = takes_of(desk, session, 0)[0]
    assert (newest.recovered, newest.peak_dbfs) == (True, None), "it is still being measured"
    passed_over: set[int] = set()
    while runs.measure_one(desk, passed_over):
        pass
    assert takes_of(desk, session, 0)[0].peak_dbfs == before.peak_dbfs
    with desk.database.transaction() as db:
        assert len({m.crc32 for m in db.query(Media).join(Take, Take.media_id == Media.id)}) == 2
    wave = next(path.parent.glob("*.wav"))
    assert overview.overview_path(wave).is_file()


def test_what_the_disk_kept_without_saying_so_is_a_take_of_full_length(desk: Desk) -> None:
    """The header could not be made true any more when the disk failed; the journal knows."""
    session = make_takes(desk)
    path = _copy_of(desk, "run-002", number=2)
    wave = path.parent / takes_of(desk, session, 0)[0].file
    info = wavfile.inspect(wave)
    with open(wave, "r+b") as file:
        file.seek(4)
        file.write((4096 - 8 + 300).to_bytes(4, "little"))
        file.seek(4092)
        file.write((300).to_bytes(4, "little"))
    assert wavfile.inspect(wave).frames == 100
    runs.enter_finished(desk)
    assert wavfile.inspect(wave).frames == info.frames


def test_journals_that_are_known_are_not_read_again(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    make_takes(desk)
    runs.enter_finished(desk)

    def forbidden(path: Path) -> None:
        raise AssertionError(f"{path} was read again")

    monkeypatch.setattr(journal, "read", forbidden)
    monkeypatch.setattr(journal, "glance", forbidden)
    with queries(desk.database) as sent:
        runs.enter_finished(desk)
    assert len(sent) == 1, "only where sessions keep their sound"


@pytest.mark.with_engine
def test_without_its_disk_nothing_is_captured_and_the_page_says_so(desk: Desk) -> None:
    session = demo.load(desk)
    desk.media_id = "the right one"
    (desk.media / ".cattailer-media").write_text("another\n")
    with pytest.raises(Exception, match="No track is armed"):
        transport.capture(desk, session)
    with pytest.raises(Exception, match="not the one that belongs here"):
        transport.capture(desk, session, [1])
    assert frame.show(desk, session).deck.findings[0].kind == "stop"
    assert recovery.look(desk.media) == []
