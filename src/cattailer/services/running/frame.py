"""What stands around the sheet of every stage: the session's name, the stage line and the Deck."""

from dataclasses import dataclass, replace

from cattailer.core.advice import ears
from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.mix.limiting import through_samples
from cattailer.core.patch import patchcheck
from cattailer.core.patch.patch import Patch
from cattailer.core.patch.routing import flow
from cattailer.core.units import milliseconds
from cattailer.engine.messages.answers import Status
from cattailer.services.desk.desk import Desk
from cattailer.services.running import deck, leaks, stageline
from cattailer.services.running.deck import Deck
from cattailer.services.session.reading import load
from cattailer.services.session.rows import measured_correction, patch_of
from cattailer.store.models import Session

OWN = "own:"
"""The key of what Listen finds of players who do not hear themselves."""


@dataclass(frozen=True)
class Frame:
    """``marks`` are by stage, see ``stageline.marks``."""

    id: int
    title: str
    hardware: str
    rate_hz: int
    revision: int
    deck: Deck
    marks: dict[str, str]
    patch_findings: list[Finding]
    listen_findings: list[Finding]


def show(desk: Desk, session_id: int) -> Frame:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        return describe(desk, load(db, session_id), state)


def describe(desk: Desk, session: Session, state: Status) -> Frame:
    """Of a session that ``load`` read, with the engine's status."""
    profile, patch = desk.profile_or_blank(session.interface), patch_of(session)
    looks = patchcheck.check(patch, profile, frozenset(session.accepted))
    heard = listening(session, patch, profile, state.limited if state.session == session.id else [])
    own = [f for f in heard if f.key.startswith(OWN)]
    shown = deck.describe(desk, session, patch, profile, state, [replace(f, cure=None) for f in own])
    return Frame(
        session.id, session.title,
        f"{profile.name} · {session.rate_hz / 1000:g} kHz · {session.bits} bit · {session.period} samples",
        session.rate_hz, session.revision, shown, stageline.marks(desk, session, shown, looks, heard), looks,
        heard,
    )


def listening(session: Session, patch: Patch, profile: Profile, limited: list[int]) -> list[Finding]:
    """What ears get, looked at. ``limited`` are the mixes whose limiter works most of the time."""
    drawn = flow(patch, profile)
    wired = {m.key for m in patch.mixes if m.outputs}
    reached = {t.key: wired & set(drawn.way(t.key)) for t in patch.tracks}
    trip = profile.latency(session.period).round_trip_samples + (measured_correction(session) or 0)
    late = through_samples(trip, session.rate_hz)
    found = ears.check(patch, milliseconds(late, session.rate_hz), reached, limited, leaks.leaked(session))
    return [f for f in found if not f.key or f.key not in session.accepted]
