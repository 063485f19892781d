"""Tempo, meters and where bar 1 stands."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from fractions import Fraction

from cattailer.core.errors import Refusal
from cattailer.core.time.tapping import Tapped, tapped
from cattailer.core.time.timeline import Meter, Tempo, TempoMap, clock_text
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.rate import settle
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of

RAMP_POINTS = 48


@dataclass(frozen=True)
class TempoRow:
    """A change of tempo or meter at a bar, as shown."""

    bar: int
    bpm: str
    ramp: bool
    meter: str
    at: str


@dataclass(frozen=True)
class TempoPicture:
    """The map over its bars: ``points`` are (share of the width, share of the height), ``meters`` and ``bars``
    (share of the width, words)."""

    points: list[tuple[float, float]]
    meters: list[tuple[float, str]]
    bars: list[tuple[float, str]]
    lowest: str
    highest: str


@dataclass(frozen=True)
class TempoView:
    rows: list[TempoRow]
    bar_one: str
    picture: TempoPicture


def show(desk: Desk, session_id: int) -> TempoView:
    with desk.database.transaction() as db:
        tempo = tempo_of(get_session(db, session_id))
    tempi = {tempo.bar_beat_at(tempo.sample_at(t.quarter)).bar: t for t in tempo.tempi}
    meters = {m.bar: m for m in tempo.meters}
    bars = sorted({*tempi, *meters})
    rows = [
        TempoRow(
            bar, f"{float(tempi[bar].bpm):g}" if bar in tempi else "", bar in tempi and tempi[bar].ramp,
            f"{meters[bar].beats}/{meters[bar].unit}" if bar in meters else "",
            clock_text(tempo.sample_of(bar), tempo.rate_hz),
        )
        for bar in bars
    ]
    return TempoView(rows, clock_text(tempo.bar_one, tempo.rate_hz), picture(tempo, bars[-1]))


def picture(tempo: TempoMap, last_change: int) -> TempoPicture:
    """As many bars as the map has changes in, and eight more; 32 at least. Points are where something changes, and a
    few of each stretch that changes evenly."""
    count = max(32, last_change + 8)
    curve: list[tuple[int, float]] = []
    for bar in _drawn_bars(tempo, count + 1):
        quarter = tempo.quarter_of(bar)
        before, after = tempo.bpm_at(quarter - Fraction(1, 960)), tempo.bpm_at(quarter)
        curve += [(bar, before), (bar, after)] if bar > 1 else [(bar, after)]
    low, high = min(b for _, b in curve), max(b for _, b in curve)
    margin = max(4.0, 0.15 * (high - low))
    low, high = low - margin, high + margin
    step = next(s for s in (4 << k for k in range(20)) if count / s <= 16)
    return TempoPicture(
        [((bar - 1) / count, (high - bpm) / (high - low)) for bar, bpm in curve],
        [((m.bar - 1) / count, f"{m.beats}/{m.unit}") for m in tempo.meters],
        [((bar - 1) / count, str(bar)) for bar in range(1, count + 1, step)],
        f"{low + margin:.4g}", f"{high - margin:.4g}",
    )


def _drawn_bars(tempo: TempoMap, last: int) -> list[int]:
    starts = [tempo.bar_beat_at(tempo.sample_at(t.quarter)).bar for t in tempo.tempi]
    drawn = {1, last, *starts}
    for start, stop, change in zip(starts, [*starts[1:], last], tempo.tempi, strict=True):
        if change.ramp:
            drawn |= {start + (stop - start) * n // RAMP_POINTS for n in range(RAMP_POINTS)}
    return sorted(drawn)


def set_tempo(desk: Desk, session_id: int, bar: int, bpm: float, ramp: bool = False) -> None:
    """The tempo from a bar on, steady or changing evenly until the next one. Raises Refusal outside 10 to 400."""
    def change(tempo: TempoMap) -> TempoMap:
        quarter = tempo.quarter_of(_bar(bar))
        kept = [t for t in tempo.tempi if t.quarter != quarter]
        made = Tempo(quarter, Fraction(bpm).limit_denominator(10_000), ramp)
        tempi = tuple(sorted([*kept, made], key=lambda t: t.quarter))
        return replace(tempo, tempi=tempi)

    _edit(desk, session_id, f"Tempo {bpm:g} from bar {bar}{', changing evenly' if ramp else ''}", change)


def set_meter(desk: Desk, session_id: int, bar: int, beats: int, unit: int) -> None:
    """The meter from a bar on. Tempo changes stay at their bars. Raises Refusal for meters like 0/4 or 7/0."""
    def change(tempo: TempoMap) -> TempoMap:
        kept = [m for m in tempo.meters if m.bar != _bar(bar)]
        meters = tuple(sorted([*kept, Meter(bar, beats, unit)], key=lambda m: m.bar))
        return _at_their_bars(tempo, meters)

    _edit(desk, session_id, f"Meter {beats}/{unit} from bar {bar}", change)


def remove(desk: Desk, session_id: int, bar: int) -> None:
    """Takes the changes at a bar away; those at bar 1 stay."""
    def change(tempo: TempoMap) -> TempoMap:
        if bar <= 1:
            raise Refusal("The tempo and meter at bar 1 are where all begins; change them instead.")
        quarter = tempo.quarter_of(bar)
        tempi = tuple(t for t in tempo.tempi if t.quarter != quarter)
        return _at_their_bars(replace(tempo, tempi=tempi), tuple(m for m in tempo.meters if m.bar != bar))

    _edit(desk, session_id, f"No change of tempo or meter at bar {bar}", change)


def set_bar_one(desk: Desk, session_id: int, sample: int) -> None:
    """Where bar 1 stands on the timeline; takes stay where they are."""
    def change(tempo: TempoMap) -> TempoMap:
        if not 0 <= sample <= 3600 * tempo.rate_hz:
            raise Refusal("Bar 1 can stand within the first hour; it stays where it was.")
        return replace(tempo, bar_one=sample, bar_one_s=None)

    _edit(desk, session_id, "Bar 1 moved", change)


def tap(times_s: list[float]) -> Tapped | None:
    """What taps say, for the page to show."""
    if len(times_s) > 200 or any(not 0.0 <= t < 1e9 for t in times_s):
        raise Refusal("These taps cannot be read; tap again.")
    return tapped(times_s)


def _bar(bar: int) -> int:
    if not 1 <= bar <= 100_000:
        raise Refusal("Bars count from 1 to 100,000; nothing was changed.")
    return bar


def _at_their_bars(tempo: TempoMap, meters: tuple[Meter, ...]) -> TempoMap:
    """Other meters, with every tempo change at the bar where it was."""
    bars = [(tempo.bar_beat_at(tempo.sample_at(t.quarter)).bar, t) for t in tempo.tempi]
    plain = TempoMap(tempo.rate_hz, meters=meters)
    moved = {plain.quarter_of(bar): Tempo(plain.quarter_of(bar), t.bpm, t.ramp) for bar, t in bars}
    return replace(tempo, tempi=tuple(moved[q] for q in sorted(moved)), meters=meters)


def _edit(desk: Desk, session_id: int, what: str, change: Callable[[TempoMap], TempoMap]) -> None:
    desk.forbid_while_capturing(session_id, "the tempo map")
    with editing(desk, session_id) as edit:
        before = tempo_of(edit.session)
        try:
            made = change(before)
        except ValueError as why:
            raise Refusal(f"That cannot be: {why}. The tempo map stays as it was.") from why
        edit.what = what
        edit.session.tempo = made.to_dict()
        settle(edit.db, edit.session, before)
