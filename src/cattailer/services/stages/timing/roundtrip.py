"""The round trip, measured: a test signal goes out, comes back, and the difference to the driver's claim is kept."""

import time
from dataclasses import dataclass
from typing import Any

import numpy as np

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.sound import probe
from cattailer.core.sound.align import SILENT
from cattailer.core.sound.probe import Measured
from cattailer.engine.messages.commands import GetStatus, PlayProbe
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.listening import sound_of
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import measured_correction
from cattailer.store.measured import RoundTrip

Floats = np.ndarray[Any, np.dtype[np.float32]]
REACH = 30
"""How far to both sides of its peak the correlation is drawn."""


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

    @property
    def claim(self) -> str:
        """What the driver's figure means, in words."""
        return probe.claim_in_words(self.claimed, self.correction)


def measure(desk: Desk, session_id: int, output: int, socket: int, way: str) -> Result:
    """Plays and listens; takes about three seconds. Raises Refusal for sockets and outputs that are not there, and
    NotNow while the timeline moves. A failure that the sound explains is in the result, in words."""
    if way not in probe.WAYS:
        raise Refusal("The round trip is measured by cable or by headphone; nothing was begun.")
    need_open(desk, session_id)
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        profile = desk.profile(session.interface)
        in_use = measured_correction(session)
    profile.socket(socket)
    if not 1 <= output <= profile.outputs:
        raise Refusal(f"{profile.name} has no output {output}; it has {profile.outputs}. Nothing was played.")
    state = desk.engine.ask(GetStatus())
    began = desk.engine.ask(PlayProbe(output - 1), 10.0)
    rate, stride = state.rate_hz, probe.stride(state.rate_hz)
    if not began.starts:
        raise NotNow("The interface did not deliver sound just now, so nothing was measured. Try again.")
    heard: list[Floats] = []
    others: dict[int, Floats] = {}
    for start in began.starts:
        got = _fetch(desk, list(range(profile.inputs)), start, stride)
        heard.append(got[socket - 1])
        others = others or {n: got[n - 1] for n in range(1, profile.inputs + 1) if n != socket}
    signal = probe.signal(rate)
    dropouts = desk.engine.ask(GetStatus()).dropouts - state.dropouts
    found = probe.judge(signal, heard, others, socket, rate, dropouts)
    kept = 0
    if not found.failure:
        with desk.database.transaction() as db:
            row = RoundTrip(
                interface=session.interface, rate_hz=rate, period=began.period, way=way,
                measured_samples=found.samples, spread_samples=found.spread, confidence=found.confidence,
                inverted=found.inverted, claimed_samples=began.claimed_samples,
            )
            db.add(row)
            db.flush()
            kept = row.id
    lands = None
    if in_use is not None and not found.failure:
        lands = probe.lands(found.samples, began.claimed_samples, in_use)
    curve_from = max(0, round(found.samples) - REACH)
    return Result(
        found, kept, socket, output, way, began.claimed_samples,
        0 if found.failure else probe.correction(found.samples, began.claimed_samples), lands,
        heights(np.concatenate([signal, np.zeros(stride - len(signal), np.float32)])), heights(heard[0]),
        curve(signal, heard[0], curve_from, 2 * REACH + 1), curve_from,
    )


def _fetch(desk: Desk, rows: list[int], start: int, count: int) -> Floats:
    """Waits until a stretch has come in. Raises NotNow when it does not."""
    until = time.monotonic() + 8.0
    while time.monotonic() < until:
        got = sound_of(desk.engine, rows, count, start)
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
