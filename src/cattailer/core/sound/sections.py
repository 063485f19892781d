"""Second-order sections over long blocks, by matrix products instead of sample by sample.

A recursive filter over ``L`` samples is a product with its impulse response, plus what the state at the
beginning adds; states themselves follow one another by a smaller recursion of the same kind, done
the same way. It is several times faster than a loop over samples, and needs nothing but NumPy.
"""

import numpy as np
from numpy.typing import NDArray

_BLOCK, _SUPER = 64, 48

Floats = NDArray[np.float32]
Doubles = NDArray[np.float64]


class Sections:
    """A cascade of second-order sections (rows of b0 b1 b2 1 a1 a2) that remembers its state between blocks."""

    def __init__(self, sos: Doubles, channels: int) -> None:
        step, feed, tell, through = _state_space(sos)
        order = len(step)
        powers = [np.eye(order)]
        for _ in range(_BLOCK):
            powers.append(step @ powers[-1])
        response = np.array([through] + [tell @ powers[n] @ feed for n in range(_BLOCK - 1)])
        lags = np.arange(_BLOCK)[:, None] - np.arange(_BLOCK)
        self._direct = np.where(lags >= 0, response[np.maximum(lags, 0)], 0.0).T.astype(np.float32)
        self._from_state = np.array([tell @ powers[n] for n in range(_BLOCK)]).T.astype(np.float32)
        self._into_state = np.array([powers[_BLOCK - 1 - n] @ feed for n in range(_BLOCK)])
        self._powers = powers
        leap = powers[_BLOCK]
        leaps = [np.eye(order)]
        for _ in range(_SUPER):
            leaps.append(leap @ leaps[-1])
        # The state that each block begins with, from the one before the first: (order, blocks * order).
        self._leaps = np.ascontiguousarray(np.concatenate([leap.T for leap in leaps[1:]], axis=1))
        self._spread = np.zeros((_SUPER * order, _SUPER * order))
        for later in range(_SUPER):
            for earlier in range(later + 1):
                self._spread[earlier * order : (earlier + 1) * order, later * order : (later + 1) * order] = (
                    leaps[later - earlier].T
                )
        self._order = order
        self._state = np.zeros((channels, order))

    def filter(self, block: Floats) -> Floats:
        """What comes out for a block of shape (channels, samples), of any length."""
        channels, samples = block.shape
        whole = samples // _BLOCK
        out = np.empty((channels, samples), np.float32)
        if whole:
            cut = np.ascontiguousarray(block[:, : whole * _BLOCK]).reshape(channels, whole, _BLOCK)
            states = self._states(cut @ self._into_state.astype(np.float32))
            made = cut @ self._direct
            made += states @ self._from_state
            out[:, : whole * _BLOCK] = made.reshape(channels, -1)
        rest = samples - whole * _BLOCK
        if rest:
            last = block[:, whole * _BLOCK :]
            out[:, whole * _BLOCK :] = last @ self._direct[:rest, :rest]
            out[:, whole * _BLOCK :] += self._state.astype(np.float32) @ self._from_state[:, :rest]
            self._state = self._state @ self._powers[rest].T + last @ self._into_state[_BLOCK - rest :]
        return out

    def _states(self, pushed: Floats) -> Floats:
        """The state before each block, from what each block pushes into it; moves on to the last."""
        channels, blocks, order = pushed.shape
        before = np.empty((channels, blocks, order), np.float64)
        for at in range(0, blocks, _SUPER):
            count = min(_SUPER, blocks - at)
            part = pushed[:, at : at + count].astype(np.float64).reshape(channels, count * order)
            after = (part @ self._spread[: count * order, : count * order]).reshape(channels, count, order)
            after += (self._state @ self._leaps[:, : count * order]).reshape(channels, count, order)
            before[:, at] = self._state
            before[:, at + 1 : at + count] = after[:, :-1]
            self._state = after[:, -1].copy()
        return before.astype(np.float32)


def _state_space(sos: Doubles) -> tuple[Doubles, Doubles, Doubles, float]:
    """The cascade as state equations: next = step·state + feed·x, y = tell·state + through·x."""
    order = 2 * len(sos)
    step, feed, tell, through = np.zeros((order, order)), np.zeros(order), np.zeros(order), 1.0
    for n, (b0, b1, b2, _, a1, a2) in enumerate(sos):
        one, two = 2 * n, 2 * n + 1
        # This section's input is what the ones before it tell: tell·state + through·x.
        step[one] = (b1 - a1 * b0) * tell
        step[two] = (b2 - a2 * b0) * tell
        step[one, one], step[one, two], step[two, one] = step[one, one] - a1, step[one, two] + 1.0, step[two, one] - a2
        feed[one], feed[two] = (b1 - a1 * b0) * through, (b2 - a2 * b0) * through
        tell = b0 * tell
        tell[one] += 1.0
        through *= b0
    return step, feed, tell, through
