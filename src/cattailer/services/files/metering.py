"""Measuring files."""

from pathlib import Path
from typing import Any

from cattailer.core.sound.measure import Measurement
from cattailer.media import soundfiles


def measure_file(path: Path) -> dict[str, Any]:
    """The figures of a file as ``meter --json`` prints them; null where there is none. Raises Refusal."""
    with soundfiles.opened(path) as sound:
        measurement = Measurement(sound.channels, sound.rate_hz, sound.bits)
        for block in sound.blocks():
            measurement.add(block)
        found = measurement.measures()
        return {
            "path": str(path), "rate": sound.rate_hz, "samples": found.samples,
            "integrated_lufs": _rounded(found.integrated_lufs),
            "max_momentary_lufs": _rounded(found.max_momentary_lufs),
            "max_short_term_lufs": _rounded(found.max_short_term_lufs), "range_lu": _rounded(found.range_lu),
            "channels": [
                {
                    "peak_dbfs": _rounded(c.peak_dbfs), "true_peak_dbtp": _rounded(c.true_peak_dbtp),
                    "rms_dbfs": _rounded(c.rms_dbfs), "noise_floor_dbfs": _rounded(c.noise_floor_dbfs),
                    "dc": round(c.dc, 9), "clips": c.clips,
                }
                for c in found.channels
            ],
        }


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 3)
