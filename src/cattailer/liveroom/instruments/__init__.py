"""Instruments made in code: each renders one note, peak 1, as float32 of shape (samples,)."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from cattailer.liveroom.instruments import drum, reeds, strings, voice

Floats = NDArray[np.float32]
Render = Callable[[int, float, float, np.random.Generator], Floats]
"""(rate_hz, pitch_hz, seconds, rng) → samples."""

RINGS_ON = {"dulcimer", "harp", "frame drum"}
"""What sounds the same however long the note is written."""

BY_NAME: dict[str, Render] = {
    "dulcimer": strings.hammered,
    "harp": strings.plucked,
    "cello": strings.bowed,
    "cello-pickup": strings.bowed_at_the_bridge,
    "bass clarinet": reeds.single_reed,
    "harmonium": reeds.free_reed,
    "frame drum": drum.frame_drum,
    "narrator": voice.syllable,
    "narrator-breath": voice.breath,
}
