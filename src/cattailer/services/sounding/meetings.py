"""Both sides of where pieces meet, and how alike they are: listened to once, and kept."""

from dataclasses import dataclass, field, replace

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.crossing import HEARD_S, Meeting, Meets, known, meet, usual_samples
from cattailer.core.comps.sounding import TakeSound, unfaded
from cattailer.media.piecesound import Floats, PieceReader, Read, heard_between
from cattailer.services.desk.desk import Desk
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.models import Session

MOST_KEPT = 20_000


@dataclass
class LiveMeetings:
    """By what lies on both sides: how they go together."""

    found: dict[tuple[object, ...], Meeting] = field(default_factory=dict)


@dataclass(frozen=True)
class Sides:
    """The sound of both takes around where they meet, from timeline sample ``start`` on, as far as both have any."""

    start: int
    before: Floats
    after: Floats


def meets_of(desk: Desk, session: Session) -> Meets:
    """How the pieces of a session go over into one another. What cannot be read counts as unlike
    until it can be read."""
    live, rate, read = desk.live.of(session.id, LiveMeetings), session.rate_hz, PieceReader()

    def meets(before: CompPiece, after: CompPiece, samples: int) -> Meeting:
        alike = known(before, after)
        if alike is not None:
            return Meeting(0, samples or usual_samples(alike, rate), alike)
        reach = max(round(HEARD_S * rate), samples)
        key = (*_side(before, before.stop, reach), *_side(after, after.start, reach), samples, rate)
        found = live.found.get(key)
        if found is None:
            takes = take_sounds(desk, session, {before.take, after.take})
            sides = both_sides(before, after, takes, reach, read)
            found = Meeting(0, samples or usual_samples(0.0, rate), 0.0) if sides is None else meet(
                sides.before, sides.after, after.start - sides.start, samples, rate
            )
            if len(live.found) >= MOST_KEPT:
                live.found.clear()
            if not read.missing:
                live.found[key] = found
        return found

    return meets


def _side(piece: CompPiece, at: int, reach: int) -> tuple[object, ...]:
    return piece.take, at - piece.moved, piece.gain_db, piece.flipped, min(piece.samples, reach)


def both_sides(
    before: CompPiece, after: CompPiece, takes: dict[int, TakeSound], reach: int, read: Read | None = None
) -> Sides | None:
    """Both takes up to ``reach`` samples either side of where they meet, within their pieces and their sound."""
    if before.take not in takes or after.take not in takes:
        return None
    at = after.start
    first = max(at - reach, before.start, after.moved + takes[after.take].reach[0])
    last = min(at + reach, after.stop, before.moved + takes[before.take].reach[1])
    if last - first < 2:
        return None
    over = [replace(p, start=first, samples=last - first, offset=first - p.moved) for p in (before, after)]
    return Sides(first, *(heard_between(unfaded(p, takes), first, last, 1, read)[0] for p in over))
