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
        settings = np.repeat(np.array([[-30.0], [0.75], [3.0]]), ROWS, axis=1)
        rate, kept = np.full(ROWS, 0.01), (np.zeros(ROWS), np.ones(ROWS), np.ones(ROWS))
        state, second = np.zeros((5, 2, ROWS)), np.zeros((5, 2, ROWS))
        out.append({
            "samples": samples, "alike_to": float(np.abs(one - other).max()),
            "compiled_eq_us": timed(lambda x=sound, z=state: kernels.equalise(x.copy(), table, z, active)),  # type: ignore[misc]
            "numpy_eq_us": timed(lambda x=sound, z=second: in_numpy(x.copy(), table, z)),  # type: ignore[misc]
            "compiled_dyn_us": timed(lambda x=sound, s=settings, r=rate, k=kept, n=samples: kernels.compress(  # type: ignore[misc]
                x.copy(), np.zeros((0, 2), np.intp), r, r, s, np.zeros((3, ROWS)), np.ones(n), *k)),
        })
    tell(what="five-band equaliser and compressor, 64 rows", sizes=out)


if __name__ == "__main__":
    main()
