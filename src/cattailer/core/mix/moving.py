"""Controls that move: one value of a plan that is changed, and nothing else.

The names are those of the columns in the database, so that what was moved can be written down when the hand lets go.
"""

from dataclasses import dataclass, replace
from typing import Any, cast

from cattailer.core.errors import Refusal
from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Range, changed
from cattailer.core.patch.ends import EVERYWHERE, GROUP, MIX, RETURN, TRACK, kind_of, number_in
from cattailer.core.plan import Plan

LEVEL, PAN = Range(-60.0, 12.0, "dB"), Range(-1.0, 1.0, "")
WIDTH, BALANCE = Range(0.0, 100.0, "%", 100.0), Range(-24.0, 24.0, "dB")
OVERALL = Range(-60.0, 12.0, "dB", -6.0)
FORWARD, LIMIT = Range(0.0, 12.0, "dB"), Range(-40.0, 0.0, "dB", -6.0)
SWITCH = Range(0.0, 1.0, "")
_ROW = {"fader_db": LEVEL, "muted": SWITCH}
OF_ENDS: dict[str, dict[str, Range]] = {
    TRACK: {**_ROW, "pan": PAN, "width_percent": WIDTH, "balance_db": BALANCE, "soloed": SWITCH, "live_db": LEVEL,
            "playback_db": LEVEL},
    GROUP: {**_ROW, "soloed": SWITCH}, RETURN: _ROW,
    MIX: {"fader_db": OVERALL, "forward_db": FORWARD, "limit_dbfs": LIMIT},
}
OF_CELLS = {"level_db": LEVEL, "pan": PAN, "muted": SWITCH}
"""What can be moved, and how far."""
_LISTS = {TRACK: "tracks", GROUP: "groups", RETURN: "returns", MIX: "mixes"}
_SWITCHES = ("muted", "soloed")
GONE = "What you moved is not there any more, so nothing was changed."


@dataclass(frozen=True)
class Control:
    """``what`` of an ``end``; with a ``target``, of the end's cell there. What is set of an effect has its kind before
    it: ``eq.low_db``."""

    end: str
    target: str
    what: str

    @property
    def of(self) -> tuple[str, str, str]:
        return self.end, self.target, self.what


@dataclass(frozen=True)
class Move(Control):
    """It is ``value`` now. Switches are 0 or 1."""

    value: float


def checked(move: Move) -> Move:
    """Raises Refusal for what cannot be moved, or not so far."""
    if "." in move.what and not move.target and kind_of(move.end) in (TRACK, GROUP, RETURN):
        return move  # the effect itself knows how far
    within = range_of(move.end, move.target, move.what)
    if not within.low <= move.value <= within.high:
        unit = f" {within.unit}" if within.unit else ""
        raise Refusal(f"That goes from {within.low:g} to {within.high:g}{unit}; nothing was changed.")
    return move


def range_of(end: str, target: str, what: str) -> Range:
    """How far a control goes. Raises Refusal for what cannot be moved."""
    within = (OF_CELLS if target else OF_ENDS.get(kind_of(end), {})).get(what)
    if within is None:
        raise Refusal("That cannot be moved, so nothing was changed.")
    return within


def listed(plan: Plan, end: str) -> tuple[Any, ...]:
    """The tracks, groups, returns or mixes of a plan, whichever an end belongs to."""
    name = _LISTS.get(kind_of(end), "")
    return getattr(plan, name) if name else ()


def value_of(move: Move) -> float | bool:
    return bool(move.value) if move.what in _SWITCHES or move.what.endswith(".on") else float(move.value)


def moved(plan: Plan, move: Move) -> Plan:
    """The plan with that changed; the same plan where it is so already. Raises Refusal, 404 for what is gone."""
    checked(move)
    if move.target:
        return _cell(plan, move)
    ends = listed(plan, move.end)
    number = number_in(move.end) if ends else -1
    for place, end in enumerate(ends):
        if end.id != number:
            continue
        kind, dot, setting = move.what.partition(".")
        value = value_of(move)
        new = replace(end, effects=changed(end.effects, kind, setting, value)) if dot else replace(end, **{kind: value})
        if new == end:
            return plan
        changes: dict[str, Any] = {_LISTS[kind_of(move.end)]: (*ends[:place], new, *ends[place + 1 :])}
        return replace(plan, **changes)
    raise Refusal(GONE, 404)


def _cell(plan: Plan, move: Move) -> Plan:
    way, change = (move.end, move.target), cast(dict[str, Any], {move.what: value_of(move)})
    if way not in plan.routes and move.end not in EVERYWHERE:
        raise Refusal(GONE, 404)
    for place, cell in enumerate(plan.cells):
        if cell.route == way:
            new = replace(cell, **change)
            return plan if new == cell else replace(plan, cells=(*plan.cells[:place], new, *plan.cells[place + 1 :]))
    new = replace(Cell(*way), **change)
    return plan if new == Cell(*way) else replace(plan, cells=(*plan.cells, new))
