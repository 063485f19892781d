"""Dropouts: what was lost, when, how busy the computer was, and which buffer would have held."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from cattailer.core.units import milliseconds


@dataclass(frozen=True)
class Dropout:
    """``samples`` that never arrived at timeline ``position``, with a buffer of ``period``, at ``at`` (Unix time).

    ``load`` is the share of the time before it that computing took; ``state`` is the transport's.
    """

    at: float
    state: str
    position: int
    samples: int
    period: int
    load: float

    @property
    def still_samples(self) -> int:
        """How long the computer stood still: what was lost, and one buffer that bridged its beginning."""
        return self.samples + self.period

    def words(self, rate_hz: int) -> str:
        return f"{milliseconds(self.samples, rate_hz):.1f} ms lost, computing took {100 * self.load:.0f} %"


@dataclass(frozen=True)
class Held:
    """``buffer`` is the smallest that would have held ``held`` of ``of`` dropouts, the most that any could; None where
    the computer stood still for longer than every buffer each time."""

    buffer: int | None
    held: int
    of: int


def would_have_held(dropouts: Iterable[Dropout], buffers: Sequence[int]) -> Held:
    """A buffer holds when it is longer than the computer stood still."""
    stills = [d.still_samples for d in dropouts]
    within = [s for s in stills if s <= max(buffers, default=0)]
    buffer = min((b for b in buffers if within and b >= max(within)), default=None)
    return Held(buffer, len(within), len(stills))
