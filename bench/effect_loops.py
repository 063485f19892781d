"""Equaliser and compressor of 64 rows: compiled loops against NumPy, row-wise at once and sample by sample, in one run."""

from common import spread, tell

# isort: split
import time
from collections.abc import Callable

import numpy as np

from cattailer.core.mix.effects import Effects, Equaliser
from cattailer.core.mix.equalising import coefficients
from cattailer.engine.effects import kernels

ROWS, TURNS = 64, 60


def timed(what: Callable[[], object]) -> dict[str, float]:
    taken = []
    for _ in range(TURNS):
        began = time.perf_counter()
        what()
        taken.append(1e6 * (time.perf_counter() - began))
    return spread(taken)


def in_numpy(sound: np.ndarray, table: np.ndarray, state: np.ndarray) -> None:
    """The same filters, all rows at once, one sample after another: a recursion leaves NumPy nothing else."""
    for s in range(len(table)):
        b0, b1, b2, a1, a2 = table[s]
        z1, z2 = state[s]
        for row in sound:
            y = b0 * row + z1
            z1[:] = b1 * row - a1 * y + z2
            z2[:] = b2 * row - a2 * y
            row[:] = y


def main() -> None:
    eq = Effects(Equaliser(cut_hz=80, low_db=3, one_db=-2, two_db=4, high_db=1)).eq
    table = np.repeat(coefficients(eq, 48000)[:, :, None], ROWS, axis=2)
    rng, active = np.random.default_rng(1), np.ones(5, bool)
    kernels.warm_up()
    out = []
    for samples in (64, 256):
        sound = rng.standard_normal((samples, ROWS)) * 0.05
        one, other = sound.copy(), sound.copy()
        kernels.equalise(one, table, np.zeros((5, 2, ROWS)), active)
        in_numpy(other, table, np.zeros((5, 2, ROWS)))
        settings = np.repeat(np.array([[-30.0], [0.75], [3.0], [0.01], [0.01]]), ROWS, axis=1)
        level, pairs, down = np.zeros((samples, ROWS), np.float32), np.zeros((0, 2), np.intp), np.zeros(ROWS)
        kept, highest, at = np.zeros((480, ROWS), np.float32), np.zeros(ROWS, np.float32), np.zeros(1, np.intp)
        least = np.ones(ROWS, np.float32)

        def compressed(x: np.ndarray, into: np.ndarray = level) -> None:
            kernels.hold(x, into, pairs, kept, highest, at)  # noqa: B023
            kernels.compress(x, into, settings, down, least)  # noqa: B023

        state, second = np.zeros((5, 2, ROWS)), np.zeros((5, 2, ROWS))
        out.append({
            "samples": samples, "alike_to": float(np.abs(one - other).max()),
            "compiled_eq_us": timed(lambda x=sound, z=state: kernels.equalise(x.copy(), table, z, active)),  # type: ignore[misc]
            "numpy_eq_us": timed(lambda x=sound, z=second: in_numpy(x.copy(), table, z)),  # type: ignore[misc]
            "compiled_dyn_us": timed(lambda x=sound, work=compressed: work(x.copy())),  # type: ignore[misc]
        })
    tell(what="five-band equaliser and compressor, 64 rows", sizes=out)


if __name__ == "__main__":
    main()
