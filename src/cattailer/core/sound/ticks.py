"""What the click sounds like."""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.time.clicking import STRONG, ClickSettings
from cattailer.core.units import amplitude

Floats = NDArray[np.float32]
_SECONDS = 0.03
_HZ = {"wood": (1760.0, 1175.0, 880.0), "beep": (1568.0, 1046.5, 784.0), "stick": (2960.0, 2350.0, 1980.0)}
_DECAY_S = {"wood": 0.006, "beep": 0.02, "stick": 0.0025}


def tick(rate_hz: int, hz: float, decay_s: float = 0.006) -> Floats:
    """A tick whose first sample is its largest, so that its onset can be measured to the sample."""
    t = np.arange(int(_SECONDS * rate_hz)) / rate_hz
    return (np.cos(2 * np.pi * hz * t) * np.exp(-t / decay_s)).astype(np.float32)


def ticks_of(plan: ClickSettings, rate_hz: int) -> list[Floats]:
    """By kind: strong, plain, and what lies between beats, as loud as they are."""
    plain_db = plan.level_db - plan.accent_db
    levels = [0.0, 0.0, 0.0]
    levels[STRONG:] = (plan.level_db, plain_db, plain_db - plan.between_db)
    return [
        tick(rate_hz, hz, _DECAY_S[plan.sound]) * np.float32(amplitude(db))
        for hz, db in zip(_HZ[plan.sound], levels, strict=True)
    ]
