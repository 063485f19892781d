"""The round trip, measured: a test signal goes out, comes back, and the difference to the driver's claim is kept."""

import time
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np
from sqlalchemy import select

from cattailer.core import probe
from cattailer.core.align import SILENT
from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.core.probe import Measured
from cattailer.services.desk import Desk
from cattailer.services.editing import count_on, get_session, push_if_open
from cattailer.services.listening import sound_of
from cattailer.services.planning import compile_plan, correction_of
from cattailer.services.sessions import open_session
from cattailer.store.models import RoundTrip

Floats = np.ndarray[Any, np.dtype[np.float32]]
WAYS = ("cable", "headphone")
FITS_SAMPLES = 1.0
REACH = 30
"""So far to both sides of its peak the correlation is drawn."""


@dataclass(frozen=True)
class Result:
    """One measurement; ``id`` is 0 when it failed and was not kept. ``lands`` says whether the correction that is in
    use agrees, None while there is none. The curves are for the picture, in 8-bit heights."""

    measured: Measured
    id: int
    socket: int
    output: int
    way: str
    claimed: int
    correction: int
    lands: bool | None
    played: list[int]
    heard: list[int]
    curve: list[float]
    curve_from: int


def measure(desk: Desk, session_id: int, output: int, socket: int, way: str) -> Result:
    """Plays and listens; takes about three seconds. Raises Refusal for sockets and outputs that are not there, and
    NotNow while the timeline moves. A failure that the sound explains is in the result, in words."""
    if way not in WAYS:
        raise Refusal("The round trip is measured by cable or by headphone; nothing was begun.")
    open_session(desk, session_id)
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        profile = desk.profile(session.interface)
        in_use = correction_of(session)
    profile.socket(socket)
    if not 1 <= output <= profile.outputs:
        raise Refusal(f"{profile.name} has no output {output}; it has {profile.outputs}. Nothing was played.")
    state = desk.engine.ask("status")
    began = desk.engine.ask("probe", 10.0, output=output - 1)
    rate, stride = int(state["rate"]), probe.stride(int(state["rate"]))
    if not began["starts"]:
        raise NotNow("The interface did not deliver sound just now, so nothing was measured. Try again.")
    heard: list[Floats] = []
    others: dict[int, Floats] = {}
    for start in began["starts"]:
        got = _fetch(desk, list(range(profile.inputs)), start, stride)
        heard.append(got[socket - 1])
        others = others or {n: got[n - 1] for n in range(1, profile.inputs + 1) if n != socket}
    signal = probe.signal(rate)
    dropouts = int(desk.engine.ask("status")["dropouts"]) - int(state["dropouts"])
    found = probe.judge(signal, heard, others, socket, rate, dropouts)
    kept = 0
    if not found.failure:
        with desk.database.transaction() as db:
            row = RoundTrip(
                interface=session.interface, rate_hz=rate, period=int(began["period"]), way=way,
                measured_samples=found.samples, spread_samples=found.spread, confidence=found.confidence,
                inverted=found.inverted, claimed_samples=int(began["claimed"]),
            )
            db.add(row)
            db.flush()
            kept = row.id
    lands = None
    if in_use and not found.failure:
        lands = probe.lands(found.samples, int(began["claimed"]), in_use)
    curve_from = max(0, round(found.samples) - REACH)
    return Result(
        found, kept, socket, output, way, int(began["claimed"]),
        0 if found.failure else probe.correction(found.samples, int(began["claimed"])), lands,
        heights(np.concatenate([signal, np.zeros(stride - len(signal), np.float32)])), heights(heard[0]),
        curve(signal, heard[0], curve_from, 2 * REACH + 1), curve_from,
    )


def _fetch(desk: Desk, rows: list[int], start: int, count: int) -> Floats:
    """Waits until a stretch has come in. Raises NotNow when it does not."""
    until = time.monotonic() + 8.0
    while time.monotonic() < until:
        got = sound_of(desk, rows, count, start)
        if got.start != start:
            break
        if got.count == count:
            return got.sound
        time.sleep(0.05)
    raise NotNow("The interface stopped delivering sound meanwhile, so nothing was measured. Try again.")


def heights(sound: Floats, columns: int = 240) -> list[int]:
    """The highest of each column, 0 to 100 against the highest of all. What counts as silent is drawn as silent."""
    parts = np.array_split(np.abs(sound), columns)
    tops = np.array([float(p.max(initial=0.0)) for p in parts])
    return [round(100.0 * v / max(tops.max(), SILENT)) for v in tops]


def curve(played: Floats, heard: Floats, first: int, count: int) -> list[float]:
    """The correlation at ``count`` samples from ``first`` on, against its highest."""
    last = min(first + count, len(heard) - len(played) + 1)
    out = [float(played @ heard[n : n + len(played)]) for n in range(first, last)]
    most = max([abs(v) for v in out] + [1e-12])
    return [round(v / most, 3) for v in out]


def use(desk: Desk, session_id: int, measurement: int) -> None:
    """Corrects this interface, rate and buffer by a measurement from now on, in all sessions. Raises NotNow while a
    capture runs, NotFound for one that is gone, Refusal for one of other hardware."""
    desk.forbid_while_capturing(session_id, "the correction")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        row = db.get(RoundTrip, measurement)
        if row is None:
            raise NotFound("That measurement is not here any more. Measure again.")
        if (row.interface, row.rate_hz, row.period) != (session.interface, session.rate_hz, session.period):
            raise Refusal("That was measured at another interface, rate or buffer, so it cannot be used here.")
        row.used = True
        count_on(db, session)
        db.flush()
        plan = compile_plan(desk, session)
    push_if_open(desk, plan.session, plan.to_dict())


def forget(desk: Desk, session_id: int) -> None:
    """Goes back to what the driver claims, at this interface, rate and buffer. The history stays."""
    desk.forbid_while_capturing(session_id, "the correction")
    with desk.database.transaction() as db:
        session = get_session(db, session_id, lock=True)
        for row in db.scalars(_here(session.interface, session.rate_hz, session.period).where(RoundTrip.used)):
            row.used = False
        count_on(db, session)
        db.flush()
        plan = compile_plan(desk, session)
    push_if_open(desk, plan.session, plan.to_dict())


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
        mine = _here(session.interface, session.rate_hz, session.period)
        rows = db.scalars(mine.order_by(RoundTrip.id.desc()).limit(12)).all()
        correction = correction_of(session)
        history = [
            Past(r.id, r.at.astimezone(), r.way, r.measured_samples, r.spread_samples, r.claimed_samples,
                 probe.correction(r.measured_samples, r.claimed_samples), r.inverted, r.used)
            for r in rows
        ]
        claimed = profile.latency(session.period).round_trip_samples
    used = next((p for p in history if p.used), None)
    warning = ""
    if used and history and abs(history[0].measured - history[0].claimed - correction) > FITS_SAMPLES:
        warning = (
            f"The newest measurement is {history[0].measured - history[0].claimed - correction:+.1f} samples off the "
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
