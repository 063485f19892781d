"""The mark in a media folder: by it an empty mount point is told from the folder whose disk is missing."""

import uuid
from pathlib import Path

MARK = ".cattailer-media"


def read_mark(folder: Path) -> str:
    """Empty where there is none."""
    try:
        return (folder / MARK).read_text().strip()
    except OSError:
        return ""


def settle(folder: Path, noted: Path) -> str:
    """What the mark should say, as ``noted``; at the very first start folder, mark and note are made. Later a folder
    that is gone is not made again. Raises OSError."""
    if noted.exists():
        return noted.read_text().strip()
    folder.mkdir(parents=True, exist_ok=True)
    mark = read_mark(folder) or put(folder)
    noted.write_text(f"{mark}\n")
    return mark


def put(folder: Path) -> str:
    """Marks a folder that has no mark yet. Raises OSError."""
    mark = str(uuid.uuid4())
    (folder / MARK).write_text(f"{mark}\n")
    return mark
