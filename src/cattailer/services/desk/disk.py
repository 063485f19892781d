"""Room on the disk that holds the media."""

import math
import os
import shutil
from dataclasses import dataclass
from pathlib import Path

from cattailer.services.desk.desk import Desk


@dataclass(frozen=True)
class Storage:
    folder: str
    free_gb: float
    hours: float
    system_disk: bool


def storage(desk: Desk, channels: int, rate_hz: int, bits: int) -> Storage:
    """Where media go, how much is free, how long it lasts, and whether the system lives there too."""
    folder = desk.media
    while not folder.exists():
        folder = folder.parent
    free = os.statvfs(folder)
    free_bytes = free.f_bavail * free.f_frsize
    hours = free_bytes / (max(1, channels) * rate_hz * bits / 8 * 3600)
    return Storage(str(desk.media), free_bytes / 1e9, hours, folder.stat().st_dev == Path("/").stat().st_dev)


def disk_minutes_left(desk: Desk, channels: int, rate_hz: int, bits: int) -> float:
    """Minutes of capture that fit on the media folder's disk for this many channels."""
    folder = desk.media
    while not folder.exists():
        folder = folder.parent
    per_minute = max(1, channels) * rate_hz * bits // 8 * 60
    return shutil.disk_usage(folder).free / per_minute


def time_left_text(minutes: float) -> str:
    """Disk time in words."""
    if minutes >= 600:
        return f"{math.floor(minutes / 60):,} h"
    if minutes >= 60:
        return f"{math.floor(minutes / 60)} h {math.floor(minutes % 60):02} min"
    return f"{math.floor(minutes)} min"
