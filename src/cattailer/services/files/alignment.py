"""Offsets between files, and what an interface's driver says of its latency."""

from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cattailer.core.errors import Refusal
from cattailer.core.sound.align import SILENT, WHITENING, find_offset, loudest
from cattailer.core.sound.align import SURE as SURE
from cattailer.media import soundfiles

LONGEST_S = 600.0


def align_files(reference: Path, recorded: Path) -> dict[str, Any]:
    """As ``align --json`` prints it. Raises Refusal for files that cannot be compared."""
    a, rate = _mono(reference)
    b, other = _mono(recorded)
    if rate != other:
        raise Refusal(
            f"{reference.name} runs at {rate:,} Hz and {recorded.name} at {other:,} Hz, so their samples cannot be "
            "compared. Convert one of them first."
        )
    found = find_offset(a, b, max(len(a), len(b)) - 1, WHITENING)
    return {
        "offset_samples": round(found.samples, 3), "offset_ms": round(1000.0 * found.samples / rate, 5),
        "inverted": found.inverted, "confidence": found.confidence,
    }


def _mono(path: Path) -> tuple[NDArray[np.float32], int]:
    """The loudest channel of a file."""
    with soundfiles.opened(path) as sound:
        if sound.samples > LONGEST_S * sound.rate_hz:
            raise Refusal(f"{path.name} is longer than {LONGEST_S / 60:.0f} minutes; cut out the part to compare.")
        whole = np.nan_to_num(np.concatenate(list(sound.blocks()), axis=1), nan=0.0, posinf=0.0, neginf=0.0)
        best = loudest(whole)
        if float(np.abs(best).max()) < SILENT:
            raise Refusal(f"{path.name} is silent, so there is nothing to compare.")
        return best, sound.rate_hz
