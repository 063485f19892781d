"""What a page and an edit ask of the database does not grow with the session."""

import itertools
from collections.abc import Callable
from datetime import UTC, datetime

import pytest

from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame
from cattailer.services.session import demo, inputs, tracks
from cattailer.services.stages.capture import show as capture
from cattailer.services.stages.levels import show as levels
from cattailer.services.stages.patch import show as patch
from cattailer.services.stages.takes import show as takes
from cattailer.store.models import Media, Run, Take
from tests.helpers.queries import queries

GAINS = itertools.cycle((30.0, 31.0))
ASKS: dict[str, Callable[[Desk, int], object]] = {
    "frame": frame.show, "capture": capture.show, "takes": takes.show, "patch": patch.show, "levels": levels.show,
    "gain": lambda desk, session: inputs.set_gain(desk, session, 3, next(GAINS)),
}
MOST = {"frame": 16, "capture": 16, "takes": 17, "patch": 17, "levels": 20, "gain": 8}


def grow(desk: Desk, session: int, more_tracks: int, runs: range) -> None:
    """More tracks, and runs that leave a take on each of the first ten."""
    tracks.add_tracks(desk, session, tracks.Wanted(count=more_tracks))
    ids = [row.id for row in capture.show(desk, session).rows][:10]
    began_at = datetime(2026, 5, 4, tzinfo=UTC)
    with desk.database.transaction() as db:
        for n in runs:
            run = Run(uuid=f"u-{n}", session_id=session, number=n, start=0, samples=48000, rate_hz=48000, dropouts=[], began_at=began_at)
            db.add(run)
            for track in ids:
                media = Media(session_id=session, path=f"{track} {n}.wav", channels=1, bits=24, rate_hz=48000, samples=48000, crc32="")
                db.add(Take(track_id=track, run=run, media=media, number=n, start=0, samples=48000, peak_dbfs=-9.0, clips=0))


@pytest.mark.without_engine
@pytest.mark.parametrize("what", sorted(ASKS))
def test_queries_do_not_grow(desk: Desk, what: str) -> None:
    session, counts = demo.load(desk), []
    for more_tracks, runs in ((1, range(1, 2)), (40, range(2, 14))):
        grow(desk, session, more_tracks, runs)
        with queries(desk.database) as sent:
            ASKS[what](desk, session)
        counts.append(len(sent))
    assert counts[0] == counts[1], "as many queries for fifty tracks and 130 takes as for eleven and ten"
    assert counts[0] <= MOST[what]
