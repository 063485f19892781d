"""Controls that are nudged: up or down from wherever they are, so that what several pages press adds up."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import chain
from typing import Any

from cattailer.core.errors import Refusal
from cattailer.core.mix.effects import KINDS, Effects, Range, ranges
from cattailer.core.mix.moving import GONE, Control, Move, listed, range_of
from cattailer.core.patch.ends import number_in
from cattailer.core.plan import Plan

PLACES = 2
"""Finer than any step."""


@dataclass(frozen=True)
class Step(Control):
    """It goes up by ``by`` from wherever it is."""

    by: float

    @property
    def rises(self) -> bool:
        return self.by > 0

    def onto(self, now: float) -> Move:
        """Where it leads to; as far as the control goes, and no further. Raises Refusal for what cannot be moved."""
        within = step_range(self)
        value = round(min(max(now + self.by, within.low), within.high), PLACES)
        return Move(*self.of, value)


Gesture = tuple[Move | Step, ...]
"""What was done to one control, in order. Steps of one direction are one, for where they end is the same."""


@dataclass(frozen=True)
class Gestures:
    """What was done to each control since a hand took hold of it."""

    of_control: Mapping[tuple[str, str, str], Gesture] = field(default_factory=dict)

    def __bool__(self) -> bool:
        return bool(self.of_control)

    def then(self, more: Iterable[Move | Step]) -> "Gestures":
        """With what was done since."""
        out = dict(self.of_control)
        for one in more:
            out[one.of] = then(out.get(one.of, ()), one)
        return Gestures(out)

    @property
    def moves(self) -> list[Move | Step]:
        """One after the other, each control's in order."""
        return list(chain.from_iterable(self.of_control.values()))


def then(before: Gesture, next_one: Move | Step) -> Gesture:
    """A move makes what came before it of no account."""
    if isinstance(next_one, Move):
        return (next_one,)
    last = before[-1] if before else None
    if isinstance(last, Step) and last.rises == next_one.rises:
        return *before[:-1], Step(*last.of, round(last.by + next_one.by, PLACES))
    return *before, next_one


def end_of(gesture: Sequence[Move | Step], now: float) -> Move:
    """Where a control is after all of it, which has at least one member. Raises Refusal for what cannot be moved."""
    for one in gesture:
        move = one if isinstance(one, Move) else one.onto(now)
        now = move.value
    return move


def step_range(step: Step) -> Range:
    """Raises Refusal for what is not there, or has no range that is known."""
    kind, dot, setting = step.what.partition(".")
    if not dot or step.target:
        return range_of(step.end, step.target, step.what)
    within = ranges(kind).get(setting) if kind in KINDS else None
    if within is None:
        raise Refusal("That cannot be moved, so nothing was changed.")
    return within


def value_in(plan: Plan, step: Step) -> float:
    """Where its control is now. Raises Refusal for what cannot be moved, 404 for what is gone."""
    if step.target:
        return value_of_row(next((c for c in plan.cells if c.route == (step.end, step.target)), None), step)
    row = next((e for e in listed(plan, step.end) if e.id == number_in(step.end)), None)
    if row is None:
        raise Refusal(GONE, 404)
    return value_of_row(row, step)


def value_of_row(row: Any, step: Step) -> float:
    """The same of a row of a plan or of the database; 0 where nothing is set. Raises Refusal for what it has not."""
    step_range(step)
    kind, dot, setting = step.what.partition(".")
    if not dot:
        return float(getattr(row, step.what, None) or 0.0)
    effects = row.effects if isinstance(row.effects, Effects) else Effects.from_dict(row.effects)
    effect = getattr(effects, kind)
    if effect is None:
        raise Refusal("That effect is not there any more, so nothing was changed.", 404)
    return float(getattr(effect, setting))
