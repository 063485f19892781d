"""Where a session's sound goes, and what becomes of what was captured when that changes."""

from pathlib import Path

import pytest

from cattailer.core.errors import NotNow, Refusal
from cattailer.media import speed
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import placing
from cattailer.services.running import transport
from cattailer.services.stages.capture import show
from cattailer.services.stages.takes import files
from tests.helpers.capturing import all_runs, armed, settled
from tests.helpers.sessions import plan_of, takes_of


def folder(tmp_path: Path, name: str) -> Path:
    made = tmp_path / name
    made.mkdir()
    return made


def test_the_next_takes_go_where_the_session_wants_and_the_others_stay(desk: Desk, tmp_path: Path) -> None:
    session = armed(desk, limit_s=0.5)
    transport.capture(desk, session)
    settled(desk)
    other = folder(tmp_path, "other disk")
    assert placing.choose(desk, session, "media", str(other)) == f"Media folder: {other}."
    transport.capture(desk, session)
    settled(desk)
    assert [r.verified for r in all_runs(desk, session)] == ["yes", "yes"]
    second, first = takes_of(desk, session, 0)
    assert files.take_file(desk, session, first.id).path.is_relative_to(desk.media)
    assert files.take_file(desk, session, second.id).path.is_relative_to(other)
    assert {Path(p.path).parts[:-3] for p in plan_of(desk, session).pieces}, "both are played from where they are"
    assert all(Path(p.path).exists() for p in plan_of(desk, session).pieces)
    placing.choose(desk, session, "media", "")
    transport.capture(desk, session)
    settled(desk)
    assert [files.take_file(desk, session, t.id).path.exists() for t in takes_of(desk, session, 0)] == [True] * 3
    assert show.show(desk, session).places.media == ""


def test_a_place_must_be_a_folder_of_its_own_that_can_be_written(desk: Desk, tmp_path: Path) -> None:
    session = armed(desk)
    for typed in ("takes", "~/takes", str(tmp_path / "nowhere"), str(desk.media), str(desk.media / "in it"), "/\0"):
        with pytest.raises(Refusal, match="Nothing was changed"):
            placing.choose(desk, session, "copy", typed)
    with pytest.raises(Refusal, match="no such place"):
        placing.choose(desk, session, "moon", "")
    with pytest.raises(NotNow, match="No folder was chosen"):
        placing.measure(desk, session, "fallback")
    here = folder(tmp_path, "copy")
    assert "same disk" in placing.choose(desk, session, "copy", str(here))
    with pytest.raises(Refusal, match="used already"):
        placing.choose(desk, session, "fallback", str(here))


def test_the_speed_of_a_place_is_said_in_channels(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = armed(desk)
    monkeypatch.setattr(speed, "MOST_CHUNKS", 8)
    assert "channels" in placing.measure(desk, session, "media")
    assert not (desk.media / speed.NAME).exists()
