"""The click and the count-in of a session."""

import numpy as np
import pytest

from cattailer.core.errors import Refusal
from cattailer.media import wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.running import transport
from cattailer.services.session import demo, opening
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of
from cattailer.services.stages.takes import files
from cattailer.services.stages.timing import clicking
from tests.helpers.sessions import rows_of, takes_of


def test_where_the_click_is_silent_and_the_click_as_a_file(desk: Desk) -> None:
    session = demo.load(desk)
    clicking.silence(desk, session, 5, 9)
    clicking.silence(desk, session, 9, 11)
    clicking.silence(desk, session, 30, 0)
    assert clicking.show(desk, session).plan.silences == ((5, 11), (30, 0))
    clicking.unsilence(desk, session, 30)
    opening.open_session(desk, session)
    with desk.database.transaction() as db:
        here = tempo_of(get_session(db, session))
    transport.locate(desk, session, here.sample_of(13) + 5)
    clicking.stop_here(desk, session)
    assert clicking.show(desk, session).plan.silences == ((5, 11), (14, 0))
    clicking.print_click(desk, session, 3, 16)
    row = rows_of(desk, session)[-1]
    (take,) = takes_of(desk, session, -1)
    assert row.name == "Click"
    info = wavfile.inspect(files.take_file(desk, session, take.id).path)
    assert (info.start, info.frames) == (here.sample_of(3), here.sample_of(16) - here.sample_of(3))
    sound = np.abs(wavfile.read(info)[0])
    loud = [int(n) for n in np.flatnonzero(sound > 0.05) if sound[max(0, n - 900) : n].max(initial=0.0) < 0.01]
    assert loud == [b.sample - info.start for b in here.beats_between(info.start, info.start + info.frames)
                    if not (5 <= b.bar < 11 or b.bar >= 14)]
    clicking.print_click(desk, session, 1, 3)
    assert len(takes_of(desk, session, -1)) == 2, "the same track again"
    for wrong in ((3, 3), (0, 4), (1, 99_999)):
        with pytest.raises(Refusal):
            clicking.print_click(desk, session, *wrong)
