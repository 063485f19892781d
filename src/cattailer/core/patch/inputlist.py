"""The input list as CSV: reading what people paste, saying row by row what it would change, writing it.

Columns: socket, name, source, pick-up, 48 V, notes, in any order; commas, semicolons or tabs.
"""

import csv
import io
import re
from dataclasses import dataclass

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile
from cattailer.core.naming import MAX_NAME, clean_name
from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import PICKUPS, Patch, PatchInput
from cattailer.core.patch.patchcheck import DEFAULT_NAME

MOST_ROWS = 512
HEADER = ("socket", "name", "source", "pick-up", "48 V", "notes")
_COLUMNS = {
    "socket": "socket", "input": "socket", "in": "socket", "channel": "socket", "ch": "socket",
    "name": "label", "label": "label", "track": "label",
    "source": "source", "instrument": "source",
    "pickup": "pickup", "microphone": "pickup", "mic": "pickup",
    "48v": "phantom", "phantom": "phantom", "notes": "note", "note": "note", "placement": "note",
}
_YES = {"yes", "y", "on", "x", "1", "true", "48", "48v", "48 v", "✓"}
_NO = {"", "no", "n", "off", "0", "false", "-", "–"}
_PICKUP_WORDS = {p.lower(): p for p in PICKUPS} | {"cond": "condenser", "dyn": "dynamic", "d.i.": "DI", "di box": "DI"}
_FORMULA = re.compile(r"\s*([=@]|[+\-].*[(|!])")
_LIKE_FORMULA = re.compile(r"\s*[=@+\-\t\r]|'+[=@+\-]")
_MADE_HARMLESS = re.compile(r"'+[=@+\-]")
"""What spreadsheets may take for a formula; wider, because writing must be safe for all of them."""

WORDS = {"label": "name", "source": "source", "pickup": "pick-up", "phantom": "48 V", "note": "notes"}


@dataclass(frozen=True)
class Change:
    """One field: what it is and what it would be, in words."""

    what: str
    old: str
    new: str


@dataclass(frozen=True)
class Line:
    """One row of the list. ``values`` are fields of ``PatchInput``; ``problems`` keep all from being taken over."""

    number: int
    socket: int | None
    values: dict[str, str | bool]
    changes: tuple[Change, ...]
    problems: tuple[str, ...]
    track: str
    """What becomes of the track: "new track Cello", "track Input 3 becomes Cello", or nothing."""


@dataclass(frozen=True)
class Preview:
    lines: tuple[Line, ...]

    @property
    def problems(self) -> int:
        return sum(1 for line in self.lines if line.problems)

    @property
    def changed(self) -> int:
        return sum(1 for line in self.lines if line.changes or line.track)


def read(text: str, patch: Patch, profile: Profile) -> Preview:
    """What a pasted list would change. Raises Refusal when it cannot be read as a list at all."""
    rows = _rows(text)
    if not rows:
        raise Refusal("The list is empty. Paste rows with socket and name; nothing was changed.")
    columns = _header(rows[0][1])
    if columns is None:
        raise Refusal(
            f"The first row must name the columns: {', '.join(HEADER)}. “socket” and “name” are needed; "
            f"found: {', '.join(c[:20] for c in rows[0][1][:8]) or 'nothing'}. Nothing was changed."
        )
    if len(rows) - 1 > MOST_ROWS:
        raise Refusal(f"The list has {len(rows) - 1:,} rows; {MOST_ROWS} is the most. Nothing was changed.")
    seen: dict[int, int] = {}
    return Preview(tuple(_line(number, cells, columns, patch, profile, seen) for number, cells in rows[1:]))


def _rows(text: str) -> list[tuple[int, list[str]]]:
    """(line number, cells) of every row that is not empty."""
    text = text.removeprefix("\ufeff")
    first = text.lstrip().splitlines()[0] if text.strip() else ""
    delimiter = max(",;\t", key=first.count)
    reader = csv.reader(io.StringIO(text), delimiter=delimiter)
    try:
        return [(reader.line_num, [c.strip() for c in row]) for row in reader if any(c.strip() for c in row)]
    except csv.Error as why:
        raise Refusal(f"Row {reader.line_num} cannot be read ({why}). Nothing was changed.") from why


def _header(cells: list[str]) -> list[str | None] | None:
    columns = [_COLUMNS.get(re.sub(r"[\s_.-]+", "", c.lower())) for c in cells]
    named = [c for c in columns if c]
    return columns if {"socket", "label"} <= set(named) and len(named) == len(set(named)) else None


def _line(
    number: int, cells: list[str], columns: list[str | None], patch: Patch, profile: Profile, seen: dict[int, int]
) -> Line:
    problems = []
    if len(cells) > len(columns):
        problems.append(f"has {len(cells)} cells where the first row has {len(columns)}")
    given = {name: cell for name, cell in zip(columns, cells, strict=False) if name}
    for name, cell in given.items():
        if _FORMULA.match(cell) and cell not in _NO:
            problems.append(f"“{cell[:24]}” looks like a formula")
        elif _MADE_HARMLESS.match(cell):
            given[name] = cell[1:]
    socket = _socket(given.pop("socket", ""), profile, problems)
    if socket is not None:
        if socket in seen:
            problems.append(f"socket {socket} is in line {seen[socket]} already")
        seen.setdefault(socket, number)
    values = _values(given, problems)
    old = (patch.input(socket) if socket is not None else None) or PatchInput(socket or 0)
    if socket is not None and values.get("phantom") and not profile.socket(socket).has("phantom"):
        problems.append(profile.socket(socket).why_not("phantom").rstrip("."))
    changes = tuple(
        Change(WORDS[k], _shown(getattr(old, k)), _shown(v)) for k, v in values.items() if getattr(old, k) != v
    )
    track = _track(socket, str(values.get("label", "")), patch) if socket is not None else ""
    return Line(number, socket, values, changes, tuple(problems), track)


def _socket(text: str, profile: Profile, problems: list[str]) -> int | None:
    if not text.isdecimal() or not text.isascii():
        problems.append(f"“{text[:20]}” is not a socket's number" if text else "names no socket")
        return None
    if not 1 <= int(text[:6]) <= profile.inputs or len(text) > 6:
        problems.append(f"{profile.name} has no socket {text[:8]}; it has {profile.inputs}")
        return None
    return int(text)


def _values(given: dict[str, str], problems: list[str]) -> dict[str, str | bool]:
    values: dict[str, str | bool] = {}
    for name, cell in given.items():
        if name == "phantom":
            if cell.lower() not in _YES | _NO:
                problems.append(f"48 V is “{cell[:20]}”; write yes or no")
            values[name] = cell.lower() in _YES
        elif name == "pickup":
            if cell and cell.lower() not in _PICKUP_WORDS:
                problems.append(f"pick-up “{cell[:20]}” is not known; known are {', '.join(PICKUPS)}")
            values[name] = _PICKUP_WORDS.get(cell.lower(), "")
        else:
            try:
                values[name] = clean_name(cell, WORDS[name]) if cell else ""
            except Refusal:
                problems.append(f"{WORDS[name]} is too long ({MAX_NAME} characters at most) or cannot be shown")
    return values


def _track(socket: int, name: str, patch: Patch) -> str:
    """A listed socket gets a track of its name; a track that has a name of its own keeps it."""
    feed = socket_end(socket)
    fed = [t for t in patch.tracks if feed in t.feeds]
    if not name:
        return ""
    if not fed:
        return f"new track {name}"
    track = fed[0]
    old = patch.input(socket)
    ours = DEFAULT_NAME.fullmatch(track.name) or (old is not None and track.name == old.label and not track.pair)
    return f"track {track.name} becomes {name}" if len(fed) == 1 and ours and track.name != name else ""


def _shown(value: str | bool) -> str:
    return {True: "on", False: "off"}[value] if isinstance(value, bool) else value


def write(patch: Patch, profile: Profile, everything: bool = False) -> str:
    """The list as CSV: used sockets, or all. No cell begins as a formula would."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(HEADER)
    for row in patch.inputs:
        if (row.used or everything) and row.socket <= profile.inputs:
            note = row.note or row.placement
            cells = (row.label, row.source, row.pickup, "yes" if row.phantom else "no", note)
            writer.writerow([row.socket, *(_harmless(c) for c in cells)])
    return out.getvalue()


def _harmless(cell: str) -> str:
    return f"'{cell}" if _LIKE_FORMULA.match(cell) else cell
