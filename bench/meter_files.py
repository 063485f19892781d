"""Full measurement of a five-minute 24-bit stereo file, side by side with ffmpeg's ebur128 with true peak.

usage: python bench/meter_files.py [TIMES]     (needs Debian's ffmpeg)
"""

import os
import resource
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import numpy as np
import soundfile
from common import spread, tell

RATE, SECONDS = 48000, 300


def programme() -> np.ndarray:
    """Something like music: coloured noise that swells and falls, near full scale at its loudest."""
    rng = np.random.default_rng(1)
    n = RATE * SECONDS
    spectrum = np.fft.rfft(rng.standard_normal((n, 2)), axis=0)
    spectrum /= np.sqrt(1 + (np.fft.rfftfreq(n, 1 / RATE)[:, None] / 300) ** 2)
    sound = np.fft.irfft(spectrum, axis=0)
    sound *= (0.2 + np.abs(np.sin(np.arange(n) / 90_000)))[:, None]
    return np.asarray(0.9 * sound / np.abs(sound).max())


def timed(command: list[str], **more: Any) -> tuple[float, float]:
    """Seconds by the wall, and of the processor."""
    before, began = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    subprocess.run(command, check=True, capture_output=True, **more)
    wall, after = time.perf_counter() - began, resource.getrusage(resource.RUSAGE_CHILDREN)
    return wall, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def main() -> None:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 7
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "five.wav")
        soundfile.write(path, programme(), RATE, subtype="PCM_24")
        source = Path(__file__).parents[1] / "src"
        ours = [sys.executable, "-m", "cattailer", "meter", str(path), "--json"]
        theirs = ["ffmpeg", "-nostats", "-hide_banner", "-i", str(path), "-af", "ebur128=peak=true", "-f", "null", "-"]
        environment = {k: v for k, v in os.environ.items() if not k.startswith("OPENBLAS")} | {"PYTHONPATH": str(source)}
        pairs = [(timed(ours, env=environment), timed(theirs)) for _ in range(times)]
    walls, ratios = [a[0] / b[0] for a, b in pairs], [a[1] / b[1] for a, b in pairs]
    tell(
        what="whole command, five minutes of 24-bit stereo, seconds of the processor",
        cattailer=spread([a[1] for a, _ in pairs]), ffmpeg=spread([b[1] for _, b in pairs]),
        ratio_median=round(statistics.median(ratios), 3), ratios=[round(r, 3) for r in ratios],
        wall_ratio_median=round(statistics.median(walls), 3),
    )


if __name__ == "__main__":
    main()
