"""Tracks, and what reaches the engine of them."""

import pytest

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.session import sessions, tracks
from tests.helpers.sessions import the_patch


@pytest.mark.without_engine
def test_a_session_of_many_tracks_is_refused_kindly(desk: Desk) -> None:
    session = sessions.create_session(desk, "Many")
    for _ in range(4):
        tracks.add_tracks(desk, session, tracks.Wanted(64))
    with pytest.raises(NotNow, match="256 tracks"):
        tracks.add_tracks(desk, session, tracks.Wanted(1))
    assert len(the_patch(desk, session).tracks) == 256
