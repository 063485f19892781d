"""Settings of equalisers and compressors move without a click, over all that they can be."""

import numpy as np
import pytest
from scipy.signal import fftconvolve, firwin

from cattailer.core.mix.effects import Compressor, Effects, Equaliser, changed, ranges
from cattailer.core.mix.flow import Insert
from cattailer.engine.effects import kernels
from cattailer.engine.effects.strips import Settings, Strips

RATE = 48_000
ASIDE = firwin(4801, [750, 1250], fs=RATE, pass_zero="bandstop", window=("kaiser", 12.0))
BASES = {
    "eq": Effects(Equaliser(cut_hz=60.0, low_db=3.0, one_hz=900.0, one_db=-6.0, two_db=4.0, high_db=-4.0)),
    "dyn": Effects(dyn=Compressor(threshold_db=-50.0, ratio=6.0, attack_ms=0.1)),
}
SETTINGS = [(kind, name) for kind in BASES for name in ranges(kind) if name != "makeup_db"]


def inserted(effects: Effects) -> list[Insert]:
    return [Insert("a", 0, 1, effects)]


def beside(changes: list[Effects], apart: int = 1500) -> float:
    """The peak in dB of what is not near the tone, from before the changes on; they are asked for so many samples apart."""
    sound = (0.1 * np.sin(2 * np.pi * 1000 * np.arange(2 * RATE) / RATE)).astype(np.float32)[None]
    strips = Strips(inserted(changes[0]), 0, RATE, 64)
    for at in range(0, sound.shape[1], 64):
        if at >= RATE and (at - RATE) // apart + 1 < len(changes):
            strips.ask(Settings.of(inserted(changes[(at - RATE) // apart + 1]), RATE))
        strips.process(sound[:, at : at + 64])
    left = fftconvolve(sound[0, RATE - 4000 :].astype(np.float64), ASIDE, mode="valid")
    return float(20 * np.log10(np.abs(left).max() + 1e-12))


@pytest.mark.parametrize(("kind", "name"), SETTINGS)
def test_a_setting_moves_from_end_to_end_and_back(kind: str, name: str) -> None:
    within = ranges(kind)[name]
    ends = [changed(BASES[kind], kind, name, value) for value in (within.low, within.high)]
    assert beside(ends) < -100.0
    assert beside(ends[::-1]) < -100.0


def test_a_hand_that_sweeps_is_followed_without_a_click() -> None:
    hand = [changed(BASES["eq"], "eq", "one_hz", hz) for hz in np.geomspace(60.0, 12_000.0, 25)]
    assert beside(hand) < -100.0
    hand = [changed(BASES["dyn"], "dyn", "threshold_db", db) for db in np.linspace(-60.0, 0.0, 25)]
    assert beside(hand) < -100.0


def test_nothing_is_compiled_while_blocks_run() -> None:
    """The loops are made for arrays that lie in one piece; for any others they would be made again, which takes seconds."""
    inserts = [Insert("a", 0, 2, BASES["eq"]), Insert("b", 2, 1, BASES["dyn"]), Insert("c", 3, 2, BASES["dyn"])]
    strips, block = Strips(inserts, 0, RATE, 64), np.zeros((5, 64), np.float32)
    loops = (kernels.equalise, kernels.hold, kernels.compress)
    before = [len(loop.signatures) for loop in loops]
    for n, effects in enumerate([BASES["dyn"], BASES["eq"], Effects(), changed(BASES["dyn"], "dyn", "detector_hz", 90.0)]):
        wanted = [Insert(i.key, i.first, i.channels, effects) for i in inserts]
        strips.ask(Settings.of(wanted, RATE))
        for _ in range(120):
            strips.process(block[:, : 64 - n])
        other = Strips(wanted[n % 2 :], 0, RATE, 64)
        other.take_over(strips)
        other.process(block)
    assert [len(loop.signatures) for loop in loops] == before == [1, 1, 1]
