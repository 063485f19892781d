"""File names that are safe on every file system, and names that people type."""

import re
import unicodedata

from cattailer.core.errors import Refusal

DEFAULT_PATTERN = "{session}_{track}_run{run}"
TOKENS = ("session", "code", "track", "socket", "run", "date")
MAX_NAME = 80
_RESERVED = {"con", "prn", "aux", "nul", *(f"com{i}" for i in range(1, 10)), *(f"lpt{i}" for i in range(1, 10))}


def clean_name(text: str, what: str) -> str:
    """A name that a person typed, with its spaces tidied.

    Raises Refusal when it is empty, longer than 80 characters or holds control characters.
    """
    if any(_cannot_be_shown(c) for c in text):
        raise Refusal(f"The {what} holds characters that cannot be shown. Type it again; nothing was changed.")
    name = " ".join(text.split())
    if not name:
        raise Refusal(f"The {what} is empty. Type at least one character; nothing was changed.")
    if len(name) > MAX_NAME:
        raise Refusal(f"The {what} has {len(name):,} characters; {MAX_NAME} is the most. Nothing was changed.")
    return name


def _cannot_be_shown(c: str) -> bool:
    """Control characters, halves of a pair, and what Unicode calls noncharacters, which no XML can hold."""
    noncharacter = ord(c) & 0xFFFE == 0xFFFE or 0xFDD0 <= ord(c) <= 0xFDEF
    return noncharacter or unicodedata.category(c) in ("Cc", "Cs")


def safe_part(text: str, limit: int = 60) -> str:
    """One part of a file name: letters, digits, dot, dash and underscore only, never empty.

    Accents are dropped, spaces become dashes, and what one system or another forbids goes.
    """
    plain = unicodedata.normalize("NFKD", text)
    plain = "".join(c for c in plain if not unicodedata.combining(c))
    plain = re.sub(r"['’]", "", plain)
    plain = re.sub(r"[^\w.-]+", "-", plain, flags=re.ASCII)
    plain = re.sub(r"-{2,}", "-", plain).strip("-._")[:limit].strip("-._")
    if not plain or plain.split(".")[0].lower() in _RESERVED:
        plain = f"x-{plain}".strip("-")
    return plain


def file_stem(pattern: str, **tokens: str | int) -> str:
    """The file name without its ending, from a pattern such as ``{session}_{track}_run{run}``.

    Raises Refusal for a token that does not exist.
    """
    unknown = set(re.findall(r"{(\w*)}", pattern)) - set(TOKENS)
    if unknown:
        raise Refusal(f"The name pattern has an unknown token {{{sorted(unknown)[0]}}}; known are {', '.join(TOKENS)}.")
    filled = re.sub(r"{(\w+)}", lambda m: safe_part(str(tokens.get(m[1], "")), 40), pattern)
    return safe_part(filled, 120)


def distinct(stems: list[str]) -> list[str]:
    """The same names, told apart where two would meet on a file system that ignores case."""
    seen: set[str] = set()
    out = []
    for stem in stems:
        name, n = stem, 2
        while name.lower() in seen:
            name, n = f"{stem}-{n}", n + 1
        seen.add(name.lower())
        out.append(name)
    return out
