"""Second copies, checking all files, files that were moved, and a fallback folder, from a press of Capture on."""

import os
import shutil
from pathlib import Path

import pytest

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import checking, copying, placing
from cattailer.services.keeping.checking import LiveMediaCheck
from cattailer.services.running import frame, transport
from tests.helpers.capturing import all_runs, armed, settled
from tests.helpers.sessions import stop
from tests.helpers.waiting import pass_time, wait_for


@pytest.fixture(autouse=True)
def at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """A run is copied to its end as soon as it is over."""
    monkeypatch.setattr(copying, "SETTLED_S", 0.0)


def sounds(root: Path) -> dict[str, bytes]:
    return {str(p.relative_to(root)): p.read_bytes() for p in sorted(root.rglob("*.wav"))}


def checked(desk: Desk, session: int, also: str = "") -> LiveMediaCheck:
    checking.check_all(desk, session, also)
    found = desk.live.find(session, LiveMediaCheck)
    assert found is not None
    wait_for(lambda: not found.going)
    return found


def copied_to(desk: Desk, session: int, root: Path) -> Path:
    root.mkdir()
    placing.choose(desk, session, "copy", str(root))
    return root


def test_a_second_copy_follows_a_capture_and_is_checked(desk: Desk, tmp_path: Path) -> None:
    session = armed(desk, limit_s=1)
    transport.capture(desk, session)
    settled(desk)
    copy = copied_to(desk, session, tmp_path / "copy")
    transport.capture(desk, session)
    pass_time(desk.engine, 0.5)
    copying.copy_once(desk)
    grown = list(copy.rglob("*.wav"))
    assert len(grown) == 2, "while it is captured"
    assert all(p.stat().st_size > 4096 for p in grown)
    settled(desk)
    copying.copy_once(desk)
    assert [r.copied for r in all_runs(desk, session)] == ["earlier", "yes"]
    there = sounds(desk.media)
    assert all(data == there[name] for name, data in sounds(copy).items())
    for path in copy.rglob("*.wav"):
        path.unlink()
    copying.copy_once(desk)
    assert not list(copy.rglob("*.wav")), "what was copied once is not looked at again"


def test_what_is_wrong_with_the_copy_is_no_matter_to_the_first(desk: Desk, tmp_path: Path) -> None:
    session = armed(desk, limit_s=1)
    copy = copied_to(desk, session, tmp_path / "copy")
    transport.capture(desk, session)
    pass_time(desk.engine, 0.3)
    copying.copy_once(desk)
    copy.rename(tmp_path / "unplugged")
    copying.copy_once(desk)
    assert not copy.exists(), "it is never made again"
    said = [f.text for f in frame.show(desk, session).deck.findings]
    assert any("The second copy" in text and "The capture is not touched" in text for text in said)
    settled(desk)
    (run,) = all_runs(desk, session)
    assert (run.verified, run.copied, run.message) == ("yes", "", "")
    (tmp_path / "unplugged").rename(copy)
    copying.copy_once(desk)
    assert all_runs(desk, session)[0].copied == "yes", "it is caught up with"
    assert not copying.trouble(desk, session)


def test_all_files_are_here_and_unchanged_or_it_is_said_which_are_not(desk: Desk) -> None:
    session = armed(desk, limit_s=0.5)
    transport.capture(desk, session)
    settled(desk)
    assert checked(desk, session).words == "All 2 files are here and unchanged."
    one, other = sorted(desk.media.rglob("*.wav"))
    with open(one, "r+b") as file:
        file.seek(-3, os.SEEK_END)
        file.write(b"\x55")
    other.unlink()
    words = checked(desk, session).words
    assert "2 of 2 files not as they should be" in words
    assert f"{one.name} is not as it was written" in words
    assert f"{other.name} is not there" in words
    with pytest.raises(Refusal, match="no folder"):
        checking.check_all(desk, session, "elsewhere")


def test_files_that_were_moved_are_found_by_what_they_hold(desk: Desk, tmp_path: Path) -> None:
    session = armed(desk, limit_s=0.5)
    transport.capture(desk, session)
    settled(desk)
    one, other = sorted(desk.media.rglob("*.wav"))
    shutil.move(one, one.parent.parent / "renamed by hand.wav")
    away = tmp_path / "another disk"
    away.mkdir()
    shutil.move(other, away / other.name)
    found = checked(desk, session)
    assert (found.moved, len(found.wrong)) == (1, 1)
    found = checked(desk, session, str(away))
    assert found.words == "All 2 files are here and unchanged; 1 file had been moved and was found again."
    assert checked(desk, session).words == "All 2 files are here and unchanged."


def test_a_fallback_folder_is_gone_on_in_from_a_press_on(desk: Desk, tmp_path: Path) -> None:
    session = armed(desk)
    other = tmp_path / "fallback"
    other.mkdir()
    placing.choose(desk, session, "fallback", str(other))
    copy = copied_to(desk, session, tmp_path / "copy")
    transport.capture(desk, session)
    pass_time(desk.engine, 1.2)
    desk.media.rename(tmp_path / "unplugged")
    wait_for(lambda: list(other.rglob("*.wav")))
    assert desk.engine_state().state == "capturing"
    pass_time(desk.engine, 0.5)
    stop(desk, session)
    (tmp_path / "unplugged").rename(desk.media)
    settled(desk)
    wait_for(lambda: len(all_runs(desk, session)) == 2)
    first, second = all_runs(desk, session)
    assert f"goes on in {other}" in first.message
    assert second.note.startswith("goes on where the disk of take 1 failed")
    assert second.start <= first.start + first.samples, "no sample lies between them"
    assert checked(desk, session).words == "All 4 files are here and unchanged."
    copying.copy_once(desk)
    assert len(list(copy.rglob("*.wav"))) == 4
    assert [r.copied for r in all_runs(desk, session)] == ["yes", "yes"]
