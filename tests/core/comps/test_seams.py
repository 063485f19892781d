"""Where seams are proposed."""

import numpy as np
import pytest

from cattailer.core.comps import seams

RATE = 48_000


def notes(seed: int, late: float) -> np.ndarray:
    """A second of plucked notes, each take a little different."""
    rng = np.random.default_rng(seed)
    t = np.arange(RATE) / RATE
    out = 0.0005 * rng.standard_normal(RATE)
    for n in range(4):
        at = 0.25 * n + late + rng.uniform(-0.004, 0.004)
        since = np.maximum(0.0, t - at)
        out += (t >= at) * np.exp(-since * 14) * 0.4 * np.sin(2 * np.pi * (196 + 40 * n) * since + rng.uniform(0, 0.3))
    return out


@pytest.mark.parametrize("length_ms", [5, 18, 40])
def test_the_proposed_seam_is_as_quiet_as_the_best_of_fifty(length_ms: int) -> None:
    rng, good = np.random.default_rng(7), 0
    length = length_ms * RATE // 1000
    for case in range(20):
        one, other = notes(2 * case, 0.05), notes(2 * case + 1, 0.053)
        left = seams.residues(one, other, length)
        now = int(rng.integers(length, RATE - length))
        proposal = seams.propose(one, other, length, now, RATE)
        at = now + (proposal.by if proposal else 0) - length // 2
        good += left[min(max(0, at), len(left) - 1)] <= left[rng.integers(0, len(left), 50)].min() * 1.001
    assert good >= 19


def test_a_seam_in_the_best_place_stays_there_and_reasons_are_given() -> None:
    one, other = notes(1, 0.05), notes(2, 0.053)
    first = seams.propose(one, other, 480, 15_000, RATE)
    assert first is not None
    assert first.why
    assert first.better_db >= seams.WORTH_DB
    assert seams.propose(one, other, 480, 15_000 + first.by, RATE) is None
    silent = seams.propose(np.zeros(4000), np.zeros(4000), 100, 2000, RATE)
    assert silent is None
    assert seams.propose(one[:10], other[:10], 480, 5, RATE) is None
