"""How fast a folder takes sound, written and brought to the disk as a capture does."""

import os
import time
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

CHUNK = bytes(1 << 20)
MOST_CHUNKS, MOST_S, SYNC_EVERY = 128, 3.0, 8
NAME = ".cattailer-speed"


@dataclass(frozen=True)
class Speed:
    """Megabytes a second, and how long the slowest step took."""

    mb_per_s: float
    slowest_s: float


def measure(folder: Path) -> Speed:
    """Writes up to 128 MB for up to three seconds, and takes it away. Raises OSError."""
    path = folder / NAME
    began, slowest, chunks = time.monotonic(), 0.0, 0
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC | os.O_CLOEXEC, 0o600)
    try:
        while chunks < MOST_CHUNKS and time.monotonic() - began < MOST_S:
            at = time.monotonic()
            for _ in range(SYNC_EVERY):
                os.write(descriptor, CHUNK)
            os.fdatasync(descriptor)
            chunks, slowest = chunks + SYNC_EVERY, max(slowest, time.monotonic() - at)
    finally:
        os.close(descriptor)
        with suppress(OSError):
            path.unlink()
    return Speed(chunks * len(CHUNK) / 1e6 / max(1e-6, time.monotonic() - began), slowest)
