"""Words that several sentences need."""


def counted(number: int, word: str, words: str = "") -> str:
    """``1 track``, ``3 tracks``; ``words`` is the plural where an s does not make it."""
    return f"{number:,} {word if number == 1 else words or word + 's'}"
