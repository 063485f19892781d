"""Words that several sentences need."""

from datetime import datetime


def counted(number: int, word: str, words: str = "") -> str:
    """``1 track``, ``3 tracks``; ``words`` is the plural where an s does not make it."""
    return f"{number:,} {word if number == 1 else words or word + 's'}"


def ago(at: datetime | None, now: datetime) -> str:
    """``just now``, ``5 min ago``, ``3 h ago``, then the day."""
    if at is None:
        return "never"
    seconds = (now - at).total_seconds()
    if seconds < 60:
        return "just now"
    if seconds < 3600:
        return f"{seconds / 60:.0f} min ago"
    if seconds < 86_400:
        return f"{seconds / 3600:.0f} h ago"
    return f"{at:%Y-%m-%d}"
