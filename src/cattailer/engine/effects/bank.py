"""Second-order sections of many rows, whose settings glide."""

import numpy as np
from numpy.typing import NDArray

from cattailer.engine.effects import kernels

Doubles = NDArray[np.float64]
Places = NDArray[np.intp]


class Bank:
    """``coefficients`` (sections, 5, rows). While settings come in, the filters that come run beside those that go, for
    the rows that are moved. They begin with nothing in them and what they get is faded in, so a resonance that they
    have is not struck."""

    def __init__(self, coefficients: Doubles, period: int) -> None:
        sections, _, rows = coefficients.shape
        self._now, self._active = coefficients, active(coefficients)
        self._state = np.zeros((sections, 2, rows))
        self._next: Doubles | None = None
        self._moved, self._period = np.zeros(0, np.intp), period
        self._beside: Doubles = np.zeros((period, 0))
        self._coming, self._coming_active = coefficients[:, :, :0], self._active
        self._coming_state = self._state[:, :, :0]

    def begin(self, coefficients: Doubles) -> None:
        """From now on these come in, beside those that go."""
        self._next = coefficients
        self._moved = np.flatnonzero((coefficients != self._now).any(axis=(0, 1)))
        # In one piece: for arrays that lie otherwise the loops would be compiled again, and the block would wait.
        self._coming = np.ascontiguousarray(coefficients[:, :, self._moved])
        self._coming_active = active(self._coming)
        self._coming_state = np.zeros((len(self._state), 2, len(self._moved)))
        self._beside = np.zeros((self._period, len(self._moved)))

    def end(self) -> None:
        """What came in is all there is."""
        assert self._next is not None
        self._state[:, :, self._moved] = self._coming_state
        self._now, self._active, self._next = self._next, active(self._next), None
        self._moved = self._moved[:0]

    def process(self, sound: Doubles, fed: Doubles, weight: Doubles) -> None:
        """Changes ``sound`` (samples, rows) in place. Of what comes in ``fed`` (samples) is how much of the sound it
        gets, and ``weight`` how much of it is heard."""
        beside = self._beside[: len(sound)]
        if len(self._moved):
            np.multiply(sound[:, self._moved], fed[:, None], out=beside)
        kernels.equalise(sound, self._now, self._state, self._active)
        if len(self._moved):
            kernels.equalise(beside, self._coming, self._coming_state, self._coming_active)
            sound[:, self._moved] += weight[:, None] * (beside - sound[:, self._moved])

    def take_over(self, rows: Places, other: "Bank", others: Places) -> None:
        """``rows`` go on where ``others`` of another bank are, which may be in the middle of a glide."""
        self._now = with_rows(self._now, rows, other._now, others)
        self._active = active(self._now)
        self._state[:, :, rows] = other._state[:, :, others]
        if other._next is not None:
            self.begin(with_rows(self._now, rows, other._next, others))
            kept = {int(row): n for n, row in enumerate(other._moved)}
            there = dict(zip(rows.tolist(), others.tolist(), strict=True))
            for n, row in enumerate(self._moved.tolist()):
                self._coming_state[:, :, n] = other._coming_state[:, :, kept[there[row]]]

    def clear(self, rows: slice) -> None:
        """Nothing is left in the filters of these rows."""
        self._state[:, :, rows] = 0.0
        self._coming_state[:, :, (self._moved >= rows.start) & (self._moved < rows.stop)] = 0.0


def with_rows(settings: Doubles, rows: Places, other: Doubles, others: Places) -> Doubles:
    """The same with ``rows`` as ``others`` of another one are."""
    made = settings.copy()
    made[..., rows] = other[..., others]
    return made


def active(coefficients: Doubles) -> NDArray[np.bool_]:
    """Sections that do anything in any row."""
    flat = (coefficients[:, 0] == 1.0) & (coefficients[:, 1] == 0.0)
    return np.asarray(~flat.all(axis=1))
