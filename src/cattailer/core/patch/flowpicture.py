"""Where everything stands in the picture of the signal flow: five columns, curves between them."""

from dataclasses import dataclass

from cattailer.core.patch.ends import GROUP, MIX, OUTPUT, RETURN, SOCKET, SOFT, TRACK
from cattailer.core.patch.routing import End, Flow

COLUMNS = ("sockets and software", "tracks", "groups and returns", "mixes", "outputs")
_COLUMN = {SOCKET: 0, SOFT: 0, TRACK: 1, GROUP: 2, RETURN: 2, MIX: 3, OUTPUT: 4}
_X = (18, 262, 512, 712, 906)
_WIDE = (186, 190, 132, 136, 84)
WIDTH = 1008
_TOP, _BOTTOM = 34, 16


@dataclass(frozen=True)
class Box:
    """``mark``: "", "nowhere" (leads nowhere) or "unfed" (nothing comes in)."""

    end: End
    x: float
    y: float
    wide: float
    high: float
    mark: str
    words: tuple[str, ...]
    way: tuple[str, ...]


@dataclass(frozen=True)
class Line:
    start: str
    target: str
    path: str


@dataclass(frozen=True)
class Picture:
    width: float
    height: float
    boxes: tuple[Box, ...]
    lines: tuple[Line, ...]
    heads: tuple[tuple[float, str], ...]


def draw(flow: Flow, room: float = 660.0) -> Picture:
    """The picture, ``room`` units high if that is enough for rows of at least 24 units."""
    columns: list[list[End]] = [[] for _ in COLUMNS]
    for end in flow.ends:
        if end.kind == "soft" and not flow.after(end.key):
            continue
        columns[_COLUMN[end.kind]].append(end)
    columns[0] = _untangled(flow, columns[0], columns[1])
    most = max([len(c) for c in columns] + [1])
    pitch = min(58.0, max(26.0, room / most))
    high = min(34.0, pitch - 6)
    height = _TOP + most * pitch + _BOTTOM
    places: dict[str, tuple[float, float]] = {}
    boxes = []
    for column, ends in enumerate(columns):
        tops = _tops(flow, ends, places, pitch, most, column)
        for end, y in zip(ends, tops, strict=True):
            places[end.key] = (_X[column], y)
            boxes.append(Box(end, _X[column], y, _WIDE[column], high, _mark(flow, end),
                             tuple(flow.in_words(end.key)), tuple(flow.way(end.key))))
    shown = {b.end.key: b for b in boxes}
    lines = tuple(_line(a, shown[a], b, shown[b]) for a, b in flow.links if a in shown and b in shown)
    return Picture(WIDTH, height, tuple(boxes), lines, tuple(zip(_X, COLUMNS, strict=True)))


def _untangled(flow: Flow, sources: list[End], tracks: list[End]) -> list[End]:
    """Sources in the order of the tracks they feed, so that lines seldom cross."""
    order = {t.key: n for n, t in enumerate(tracks)}
    return sorted(sources, key=lambda e: min((order[k] for k in flow.after(e.key) if k in order), default=len(order)))


def _tops(
    flow: Flow, ends: list[End], places: dict[str, tuple[float, float]], pitch: float, most: int, column: int
) -> list[float]:
    """Where ends stand: sources and tracks one below the other, the others near what feeds them."""
    if column < 2:
        return [_TOP + n * pitch for n in range(len(ends))]
    wanted = []
    for end in ends:
        ys = [places[k][1] for k in flow.before(end.key) if k in places]
        wanted.append(sum(ys) / len(ys) if ys else _TOP + most * pitch)
    step = min(2.0 * pitch, max(pitch, 58.0)) if len(ends) * 58.0 < most * pitch else pitch
    tops = [0.0] * len(ends)
    y = float(_TOP)
    if column == 3 and ends:  # mixes keep their order, in the middle of what feeds them
        middle = sum(wanted) / len(wanted) - step * (len(ends) - 1) / 2
        first = max(float(_TOP), min(middle, _TOP + most * pitch - len(ends) * step))
        return [first + n * step for n in range(len(ends))]
    order = sorted(range(len(ends)), key=lambda n: wanted[n])
    left = len(ends)
    for n in order:
        lowest = _TOP + most * pitch - left * step
        tops[n] = max(y, min(wanted[n], max(y, lowest)))
        y = tops[n] + step
        left -= 1
    return tops


def _mark(flow: Flow, end: End) -> str:
    if flow.leads_nowhere(end.key):
        return "nowhere"
    return "unfed" if end.kind in ("track", "group") and not flow.before(end.key) else ""


def _line(start: str, a: Box, target: str, b: Box) -> Line:
    x1, y1, x2, y2 = a.x + a.wide, a.y + a.high / 2, b.x, b.y + b.high / 2
    if x2 < x1:  # back to an earlier column: a group that feeds a track; or within one column
        bow = 46.0
        mx, my, low = (x1 + x2) / 2, (y1 + y2) / 2 + 30, y1 + 30
        path = f"M{x1:g} {y1:g}C{x1 + bow:g} {y1:g} {x1 + bow:g} {low:g} {mx:g} {my:g}"
        path += f"S{x2 - bow:g} {y2:g} {x2:g} {y2:g}"
    else:
        bend = (x2 - x1) / 2
        path = f"M{x1:g} {y1:g}C{x1 + bend:g} {y1:g} {x2 - bend:g} {y2:g} {x2:g} {y2:g}"
    return Line(start, target, path)
