"""What the page of effects shows."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Compressor, Effects, Equaliser, Range, ranges
from cattailer.core.mix.equalising import response_db
from cattailer.core.patch.patch import PatchReturn, PatchTrack
from cattailer.services.stages.listen.show import ListenPage, figure

WIDE, HIGH, MOST_DB = 236.0, 104.0, 18.0
LOWEST_HZ, HIGHEST_HZ = 20.0, 20_000.0
STEPS = {"Hz": 10.0, "dB": 0.5, "Q": 0.1, ": 1": 0.5, "ms": 1.0, "%": 5.0}
"""By how much an arrow moves a setting, by its unit."""

NAMES = {
    "cut_hz": "low cut", "low_hz": "low shelf", "low_db": "", "one_hz": "peak 1", "one_db": "", "one_q": "",
    "two_hz": "peak 2", "two_db": "", "two_q": "", "high_hz": "high shelf", "high_db": "", "threshold_db": "threshold",
    "ratio": "ratio", "attack_ms": "attack", "release_ms": "release", "knee_db": "knee", "makeup_db": "make up",
    "detector_hz": "detector low cut", "predelay_ms": "pre-delay", "damping": "damping",
}


@dataclass(frozen=True)
class SendView:
    """A row's send to a return; ``level`` is empty where nothing is sent."""

    target: str
    name: str
    level: str
    own: bool


@dataclass(frozen=True)
class EffectRow:
    """``may`` are the kinds that can be put in; ``prints`` says whether they are captured, None where nothing is, and
    ``id`` is the track's then."""

    key: str
    name: str
    kind: str
    effects: Effects
    may: tuple[str, ...]
    sends: list[SendView]
    prints: bool | None
    id: int
    channels: int


@dataclass(frozen=True)
class Setting:
    """``step`` is what an arrow moves it by, ``usual`` what it is if nobody sets it."""

    name: str
    label: str
    value: float
    within: Range
    step: float
    usual: float

    @property
    def shown(self) -> str:
        return self._figure(self.value)

    @property
    def usual_shown(self) -> str:
        return self._figure(self.usual)

    def _figure(self, value: float) -> str:
        return figure(value) if self.within.low < 0.0 else f"{value:g}"


@dataclass(frozen=True)
class EffectView:
    """One effect looked at closely; ``curve`` is a path in a box of ``WIDE`` by ``HIGH``."""

    row: EffectRow
    kind: str
    on: bool
    settings: list[Setting]
    curve: str
    space: str
    channels: int


def rows_of(page: ListenPage) -> list[EffectRow]:
    patch = page.patch
    cells = {c.route: c for c in patch.cells}
    routes = set(patch.routes)
    out = []
    for ends, kind, may in (
        (patch.tracks, "track", ("eq", "dyn")), (patch.groups, "group", ("eq", "dyn")),
        (patch.returns, "return", ("reverb", "eq", "dyn")),
    ):
        for end in ends:
            out.append(EffectRow(
                end.key, end.name, kind, end.effects, tuple(k for k in may if getattr(end.effects, k) is None),
                [_send(end.key, r, routes, cells) for r in patch.returns],
                end.prints if isinstance(end, PatchTrack) and end.effects else None, end.id,
                len(end.feeds) if isinstance(end, PatchTrack) else 2,
            ))
    return out


def _send(
    key: str, end: PatchReturn, routes: set[tuple[str, str]], cells: dict[tuple[str, str], Cell]
) -> SendView:
    way = (key, end.key)
    level = figure(cells.get(way, Cell(*way)).level_db) if way in routes else ""
    return SendView(end.key, end.name, level, key == end.key)


def closely(page: ListenPage, end: str, kind: str, rate_hz: int) -> EffectView | None:
    """None where that effect is not there."""
    row = next((r for r in rows_of(page) if r.key == end), None)
    effect = getattr(row.effects, kind, None) if row is not None and kind in ("eq", "dyn", "reverb") else None
    if row is None or effect is None:
        return None
    settings = [
        Setting(
            name, NAMES.get(name, name), getattr(effect, name), within, STEPS[within.unit], getattr(type(effect), name),
        )
        for name, within in ranges(kind).items()
    ]
    curve = _response(effect, rate_hz) if isinstance(effect, Equaliser) else ""
    if isinstance(effect, Compressor):
        curve = _knee(effect)
    return EffectView(row, kind, effect.on, settings, curve, getattr(effect, "space", ""), row.channels)


def _response(eq: Equaliser, rate_hz: int) -> str:
    hz = np.geomspace(LOWEST_HZ, HIGHEST_HZ, 119)
    db = np.clip(response_db(eq, hz, rate_hz), -MOST_DB, MOST_DB)
    return _path(np.linspace(0.0, WIDE, len(hz)), HIGH / 2 * (1.0 - db / MOST_DB))


def _knee(dyn: Compressor) -> str:
    """What comes out for what comes in, both from -60 to 0 dB."""
    came = np.linspace(-60.0, 0.0, 61)
    over, half = came - dyn.threshold_db, max(dyn.knee_db / 2, 1e-3)
    excess = np.where(over >= half, over, np.where(over <= -half, 0.0, (over + half) ** 2 / (4 * half)))
    out = np.clip(came - (1 - 1 / dyn.ratio) * excess * dyn.on + dyn.makeup_db * dyn.on, -60.0, 0.0)
    return _path((came + 60) / 60 * WIDE, HIGH * (-out / 60))


def _path(x: NDArray[np.float64], y: NDArray[np.float64]) -> str:
    return "M" + "L".join(f"{a:.1f} {b:.1f}" for a, b in zip(x, y, strict=True))

