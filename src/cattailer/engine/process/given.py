"""The plan that was given last, so that what did not change since is not worked out again."""

from dataclasses import replace
from typing import Any

from cattailer.core.plan import Plan
from cattailer.core.takes.pieces import Piece

_OF_TAKES = ("revision", "takes_revision")


class GivenPlan:
    """Where a plan differs from the one before in its takes alone, all else is the same objects."""

    def __init__(self) -> None:
        self._plan: Plan | None = None
        self._rest: dict[str, Any] = {}

    def plan(self, plain: dict[str, Any], pieces: tuple[Piece, ...]) -> Plan:
        """Of plain values as ``Plan.to_dict`` gives them. Raises KeyError, TypeError or ValueError where they are
        none."""
        rest = {name: value for name, value in plain.items() if name not in _OF_TAKES}
        if self._plan is None or rest != self._rest:
            self._plan, self._rest = Plan.from_dict(plain, pieces), rest
        else:
            of_takes = {name: plain[name] for name in _OF_TAKES}
            self._plan = replace(self._plan, pieces=pieces, **of_takes)
        return self._plan
