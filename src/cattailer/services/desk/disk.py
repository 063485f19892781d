"""Room on the disk that holds the media."""

import math
import shutil
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Storage:
    folder: str
    free_gb: float
    hours: float
    system_disk: bool


def storage(root: Path, channels: int, rate_hz: int, bits: int) -> Storage:
    """Where media go, how much is free, how long it lasts, and whether the system lives there too."""
    folder = _nearest(root)
    system = folder.stat().st_dev == Path("/").stat().st_dev
    hours = disk_minutes_left(root, channels, rate_hz, bits) / 60.0
    return Storage(str(root), shutil.disk_usage(folder).free / 1e9, hours, system)


def free_bytes(root: Path) -> int:
    """On the disk of a media folder."""
    return shutil.disk_usage(_nearest(root)).free


def disk_minutes_left(root: Path, channels: int, rate_hz: int, bits: int) -> float:
    """Minutes of capture of so many channels that fit on the disk of a media folder."""
    per_minute = max(1, channels) * rate_hz * bits // 8 * 60
    return free_bytes(root) / per_minute


def _nearest(folder: Path) -> Path:
    """The folder, or what it will be made in."""
    while not folder.exists():
        folder = folder.parent
    return folder


def time_left_text(minutes: float) -> str:
    """Disk time in words."""
    if minutes >= 600:
        return f"{math.floor(minutes / 60):,} h"
    if minutes >= 60:
        return f"{math.floor(minutes / 60)} h {math.floor(minutes % 60):02} min"
    return f"{math.floor(minutes)} min"
