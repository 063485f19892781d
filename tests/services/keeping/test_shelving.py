"""Sessions put away, removed, fetched back and deleted."""

import pytest

from cattailer.core.errors import NotFound, NotNow, Refusal, Sure
from cattailer.services.desk.desk import Desk
from cattailer.services.keeping import shelving
from cattailer.services.running import runs
from cattailer.services.session import demo, opening, sessions
from tests.helpers.sessions import make_takes, stop, takes_of


def shelf_of(desk: Desk, session: int) -> str:
    return next(card.kept for card in sessions.list_sessions(desk) if card.id == session)


def test_a_session_goes_to_the_bin_and_comes_back_with_its_takes(desk: Desk) -> None:
    session = make_takes(desk)
    stop(desk, session)
    with pytest.raises(NotNow, match="open in the engine"):
        shelving.shelve(desk, session, "away")
    other = sessions.copy_session(desk, session, "Another evening")
    opening.open_session(desk, other)
    with pytest.raises(Sure, match="with 2 takes and their files"):
        shelving.shelve(desk, session, "bin")
    assert shelf_of(desk, session) == ""
    shelving.shelve(desk, session, "bin", sure=True)
    with pytest.raises(NotNow, match="Fetch it back"):
        opening.open_session(desk, session)
    assert opening.reopen_last(desk) == other, "it is not opened by itself"
    runs.enter_finished(desk)
    shelving.shelve(desk, session, "")
    opening.open_session(desk, session)
    assert len(takes_of(desk, session, 0)) == 1
    with pytest.raises(Refusal, match="Nothing was changed"):
        shelving.shelve(desk, session, "attic")


def test_it_is_deleted_for_good_only_from_the_bin_and_when_it_was_said_twice(desk: Desk) -> None:
    session = make_takes(desk)
    other = sessions.copy_session(desk, session, "Another evening")
    opening.open_session(desk, other)
    with pytest.raises(NotNow, match="lies in the bin"):
        shelving.delete_for_good(desk, session, True, True)
    shelving.shelve(desk, session, "bin", sure=True)
    with pytest.raises(Refusal, match="Tick"):
        shelving.delete_for_good(desk, session, False, True)
    with pytest.raises(Sure, match="for good"):
        shelving.delete_for_good(desk, session, True, False)
    assert list((desk.media / demo.FOLDER).rglob("*.wav"))
    shelving.delete_for_good(desk, session, True, True)
    assert not (desk.media / demo.FOLDER).exists()
    assert [card.id for card in sessions.list_sessions(desk)] == [other]
    assert runs.enter_finished(desk) == []
    with pytest.raises(NotFound):
        opening.open_session(desk, session)
