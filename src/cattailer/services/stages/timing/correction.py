"""Which measurement of the round trip corrects the driver, and whether it still fits."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import orm, select

from cattailer.core.errors import NotFound, Refusal
from cattailer.core.sound import probe
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import count_on
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import measured_correction
from cattailer.services.stages.timing import roundtrip
from cattailer.services.stages.timing.roundtrip import Result
from cattailer.store.measured import RoundTrip
from cattailer.store.models import Session


@dataclass(frozen=True)
class Verdict:
    """What the verifying pass said of a correction. ``result`` is that pass, None where it could not be made; ``used``
    whether the correction is in use after it."""

    result: Result | None
    used: bool
    words: str


def use_and_verify(desk: Desk, session_id: int, measurement: int, output: int, socket: int, way: str) -> Verdict:
    """Uses a measurement and measures once more. One that does not land within a sample is taken back; one that cannot
    be checked, because the cable is out by now, is used all the same, and the words say so. Raises as ``use`` does."""
    before = use(desk, session_id, measurement)
    try:
        again = roundtrip.measure(desk, session_id, output, socket, way)
    except Refusal as why:
        return Verdict(None, True, f"In use from now on, but not seen to land: {why.message}")
    if again.measured.failure:
        return Verdict(again, True, f"In use from now on, but not seen to land: {again.measured.failure}")
    if again.lands:
        return Verdict(again, True, "In use from now on. Measured once more, it lands within one sample.")
    if before is None or before == measurement:
        forget(desk, session_id)
        now = "The driver's figure counts."
    else:
        use(desk, session_id, before)
        now = "What was in use before still is."
    return Verdict(
        again, False, f"Not used: measured once more, the round trip was {again.measured.samples:.1f} samples, so it "
        f"changes from time to time. {now} Close what else uses the interface, and measure again.",
    )


def use(desk: Desk, session_id: int, measurement: int) -> int | None:
    """Corrects this interface, rate and buffer by a measurement from now on, in all sessions; returns which one did
    before. Raises NotNow while a capture runs, NotFound for one that is gone, Refusal for one of other hardware."""
    desk.forbid_while_capturing(session_id, "the correction")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        row = db.get(RoundTrip, measurement)
        if row is None:
            raise NotFound("That measurement is not here any more. Measure again.")
        if (row.interface, row.rate_hz, row.period) != (session.interface, session.rate_hz, session.period):
            raise Refusal("That was measured at another interface, rate or buffer, so it cannot be used here.")
        before = _believe(db, session, row)
    _reach_open_session(desk, session_id)
    return before


def forget(desk: Desk, session_id: int) -> None:
    """Goes back to what the driver claims, at this interface, rate and buffer. The history stays."""
    desk.forbid_while_capturing(session_id, "the correction")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        _believe(db, session, None)
    _reach_open_session(desk, session_id)


def _reach_open_session(desk: Desk, session_id: int) -> None:
    """A correction holds for the hardware, so it reaches whichever session is open at it."""
    opened = desk.engine_state().session
    if opened is not None and opened != session_id:
        with desk.database.transaction() as db:
            count_on(db, get_session(db, opened, lock=True))
        push(desk, opened)
    push(desk, session_id)


def _believe(db: orm.Session, session: Session, row: RoundTrip | None) -> int | None:
    """One measurement, or the driver alone; returns which one was believed before."""
    believed = list(db.scalars(_here(session.interface, session.rate_hz, session.period).where(RoundTrip.used)))
    for other in believed:
        other.used = False
    if row is not None:
        row.used = True
    count_on(db, session)
    db.flush()
    return max((other.id for other in believed), default=None)


def _here(interface: str, rate_hz: int, period: int) -> Any:
    return select(RoundTrip).where(
        RoundTrip.interface == interface, RoundTrip.rate_hz == rate_hz, RoundTrip.period == period
    )


@dataclass(frozen=True)
class Past:
    id: int
    at: datetime
    way: str
    measured: float
    spread: float
    claimed: int
    correction: int
    inverted: bool
    used: bool


@dataclass(frozen=True)
class Standing:
    """What is used for this interface, rate and buffer, and whether the newest measurement still agrees."""

    claimed: int
    correction: int
    measured: bool
    history: list[Past]
    warning: str


def standing(desk: Desk, session_id: int) -> Standing:
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        profile = desk.profile_or_blank(session.interface)
        measured = _here(session.interface, session.rate_hz, session.period)
        rows = db.scalars(measured.order_by(RoundTrip.id.desc()).limit(12)).all()
        correction = measured_correction(session) or 0
        history = [
            Past(r.id, r.at.astimezone(), r.way, r.measured_samples, r.spread_samples, r.claimed_samples,
                 probe.correction(r.measured_samples, r.claimed_samples), r.inverted, r.used)
            for r in rows
        ]
        claimed = profile.latency(session.period).round_trip_samples
    used = next((p for p in history if p.used), None)
    warning = ""
    newest = history[0] if history else None
    if used and newest and not probe.lands(newest.measured, newest.claimed, correction):
        warning = (
            f"The newest measurement is {newest.measured - newest.claimed - correction:+.1f} samples off the "
            "correction that is in use. Use the newest, or find out what changed."
        )
    return Standing(claimed, correction, used is not None, history, warning)


def corrections(desk: Desk, interface: str, rate_hz: int) -> dict[int, int]:
    """By buffer: what is used at an interface and rate."""
    with desk.database.transaction() as db:
        rows = db.scalars(
            select(RoundTrip).where(RoundTrip.interface == interface, RoundTrip.rate_hz == rate_hz, RoundTrip.used)
            .order_by(RoundTrip.id)
        ).all()
        return {r.period: probe.correction(r.measured_samples, r.claimed_samples) for r in rows}
