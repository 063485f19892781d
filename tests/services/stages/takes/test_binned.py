"""The page of the bin: what lies in it and what is folded away, their sizes, and what hangs on them."""

import pytest

from cattailer.services.desk.desk import Desk
from cattailer.services.running import binning
from cattailer.services.stages.takes import binned, cells, choosing
from cattailer.store.models import Run, Take
from tests.helpers.sessions import make_takes

pytestmark = pytest.mark.without_engine


def test_the_bin_says_sizes_and_which_comps_miss_what_is_in_it(desk: Desk) -> None:
    session = make_takes(desk)
    with desk.database.transaction() as db:
        takes = [(t.id, t.track.name, t.media.samples * t.media.channels * 3) for t in db.query(Take).order_by(Take.id)]
        run = db.query(Run).one().id
    page = binned.show(desk, session)
    assert (page.bin, page.folded, page.bytes) == ([], [], 0)
    choosing.choose(desk, session, takes[0][0])
    cells.fold(desk, session, run, True)
    (folded,) = binned.show(desk, session).folded
    assert (folded.number, folded.tracks, folded.bytes) == (1, len(takes), sum(size for *_, size in takes))
    assert folded.comps == (f"“comp 1” of {takes[0][1]}",)
    binning.discard(desk, session, 1)
    page = binned.show(desk, session)
    assert page.folded == []
    (lying,) = page.bin
    assert (lying.bytes, page.bytes, lying.comps) == (folded.bytes, folded.bytes, folded.comps)
    binning.fetch_back(desk, session, 1)
    assert binned.show(desk, session).bin == []
