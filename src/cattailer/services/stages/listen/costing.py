"""What effects cost here and now, said before they are put in or switched on."""

from contextlib import suppress

from cattailer.core.errors import Refusal, Sure
from cattailer.core.mix.costs import Costs
from cattailer.core.patch.ends import TRACK, kind_of, number_in
from cattailer.engine.messages.commands import MeasureEffects
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import load
from cattailer.services.session.rows import patch_of

MEASURE_S = 3.0
NAMES = {"eq": "An equaliser", "dyn": "A compressor", "reverb": "A reverb"}


def costs(desk: Desk, session_id: int) -> Costs | None:
    """None while the engine does not run this session, or does not answer."""
    with suppress(Refusal):
        if desk.engine_state().session == session_id:
            return desk.engine.ask(MeasureEffects(), MEASURE_S)
    return None


def check(desk: Desk, session_id: int, end: str, kind: str, sure: bool) -> None:
    """Raises Sure where there is no time left in a block for such an effect, unless somebody is."""
    found = None if sure or kind not in NAMES else costs(desk, session_id)
    if found is not None and found.too_slow(kind, wide := _channels(desk, session_id, end)):
        raise Sure(found.warning(NAMES[kind], kind, wide), "Put it in all the same")


def _channels(desk: Desk, session_id: int, end: str) -> int:
    if kind_of(end) != TRACK:
        return 2
    with desk.database.transaction() as db:
        tracks = {t.id: len(t.feeds) for t in patch_of(load(db, session_id)).tracks}
    return tracks.get(number_in(end), 1)
