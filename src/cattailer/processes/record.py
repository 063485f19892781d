"""The main job without a browser or a database: the demo's tracks straight into a folder."""

import itertools
from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import datetime
from pathlib import Path

from cattailer.core.errors import Refusal, WrongUsage
from cattailer.core.plan import Plan
from cattailer.core.takes.course import NOW, Course
from cattailer.core.takes.settings import PLAYHEAD, RANGE, CaptureSettings, Place, course_of
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.engine.offline import run_beside, run_inline
from cattailer.engine.runs.captures import Captures
from cattailer.engine.runs.making import Making
from cattailer.engine.runs.soundstarted import SoundCaptures
from cattailer.liveroom.clock import VirtualClock, WallClock
from cattailer.media import journal
from cattailer.media.runheader import header
from cattailer.processes import hear
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo


@dataclass(frozen=True)
class Way:
    """How it captures: ``bars`` of a range (both included, or None), with ``punch`` what lies either side is kept too;
    ``passes`` None goes through it once. ``begin`` is one of ``course.BEGINS``; ``seconds`` at most altogether."""

    seconds: float | None = None
    bars: tuple[int, int] | None = None
    passes: int | None = None
    punch: bool = False
    pre_roll_bars: int = 0
    count_bars: int = 0
    begin: str = NOW
    threshold_dbfs: float = -40.0
    limit_s: float | None = None

    @property
    def ends(self) -> bool:
        """Whether it ends by itself."""
        return self.limit_s is not None or (self.bars is not None and self.passes != 0 and self.begin == NOW)


@dataclass(frozen=True)
class Written:
    """``kind``: "take", "lead-in" or "join"."""

    story: journal.RunStory
    kind: str


@dataclass(frozen=True)
class Recorded:
    rate_hz: int
    dropouts: int
    written: list[Written]


def choose(plan: Plan, tracks: str) -> Plan:
    """The plan with the named tracks armed: "all", or names or numbers with commas.

    Raises Refusal for a name that is not there.
    """
    if tracks.strip().lower() == "all":
        return replace(plan, tracks=tuple(replace(t, armed=True) for t in plan.tracks))
    wanted = {part.strip().lower() for part in tracks.split(",") if part.strip()}
    known = {t.name.lower(): t.id for t in plan.tracks} | {str(t.id): t.id for t in plan.tracks}
    unknown = wanted - known.keys()
    if unknown or not wanted:
        names = ", ".join(t.name for t in plan.tracks)
        raise Refusal(f"There is no track {sorted(unknown)[0] if unknown else tracks!r}; there are: {names}.")
    ids = {known[name] for name in wanted}
    return replace(plan, tracks=tuple(replace(t, armed=t.id in ids) for t in plan.tracks))


def read_bars(typed: str | None) -> tuple[int, int] | None:
    """Raises Refusal."""
    if typed is None:
        return None
    first, _, last = typed.partition("-")
    try:
        return int(first), int(last or first)
    except ValueError as why:
        raise WrongUsage(f"A range is two bars, such as 5-8, and not {typed!r}.") from why


def plan_for(title: str | None, tracks: str | None, rate_hz: int, period: int) -> Plan:
    """Of a session, or of the demo. Raises Refusal where nothing would be captured."""
    plan = hear.plan_of(title) if title else demo.plan(False, rate_hz, period)
    if tracks is not None or not title:
        return choose(plan, tracks or "all")
    if not any(t.armed for t in plan.tracks):
        raise Refusal(f"No track of “{title}” is armed. Arm some, or say --tracks.")
    return plan


def record(plan: Plan, out: Path, way: Way, virtual: bool, seed: int) -> Recorded:
    """Captures the armed tracks of a plan. Raises Refusal, OSError."""
    course = _course(plan, way)
    clock = VirtualClock() if virtual else WallClock()
    engine = Engine(open_live_room(plan, clock, seed=seed), plan)
    out.mkdir(parents=True, exist_ok=True)
    made = _header(out, plan)
    stem = f"run-{made.number:03}"
    kind = Captures if way.begin == NOW else SoundCaptures
    captures = kind(engine, course, Making(made, out, stem, count_bars=way.count_bars), (0, 0))
    captures.open()
    if course.loops or course.start:
        engine.look_at(captures.positions)
    engine.soon(captures.begin)
    until = None if way.seconds is None else round(way.seconds * plan.rate_hz)
    pressed: list[int] = []

    def going() -> bool:
        if until is not None and engine.sample >= until and not pressed:
            pressed.append(engine.sample)
            engine.soon(engine.stop)
        return engine.sample == 0 or engine.transport.rolling or engine.busy or bool(engine.courses)

    (run_inline if virtual else run_beside)(engine, going)
    written = list(_written(out, made.run, course.joins))
    if wrong := next((w.story.message for w in written if w.story.message), ""):
        raise Refusal(wrong, 507)
    if not written:
        raise Refusal("Nothing was captured: no sound reached the threshold in that time.")
    return Recorded(plan.rate_hz, engine.dropouts, written)


def _course(plan: Plan, way: Way) -> Course:
    """Raises Refusal for what cannot be."""
    if way.seconds is not None and not 0 < way.seconds <= 24 * 3600:
        raise WrongUsage(f"Seconds must be more than 0 and at most 86,400, not {way.seconds:g}.")
    if way.seconds is None and not way.ends:
        raise WrongUsage("Say for how long: --seconds, --limit, or a --range that ends it.")
    if (way.punch or way.passes is not None) and way.bars is None:
        raise WrongUsage("Say where: --range A-B, in bars.")
    if way.bars is None and way.begin == NOW and way.limit_s is None and way.seconds is not None:
        return Course(limit=round(way.seconds * plan.rate_hz), pre_roll=0)
    tempo = plan.tempo
    try:
        settings = CaptureSettings(
            begin=way.begin, start=RANGE if way.bars else PLAYHEAD, pre_bars=way.pre_roll_bars, passes=way.passes or 0,
            threshold_dbfs=way.threshold_dbfs, limit_s=way.limit_s or 0.0,
        )
        place = Place(0, _samples(tempo, way.bars) if way.bars else (0, 0), way.passes is not None)
        course = course_of(settings, tempo, place)
    except ValueError as why:
        raise WrongUsage(f"That cannot be: {why}.") from why
    return replace(course, joins=way.punch)


def _samples(tempo: TempoMap, bars: tuple[int, int]) -> tuple[int, int]:
    first, last = bars
    if not 1 <= first <= last <= 100_000:
        raise WrongUsage("A range goes from a bar to the same or a later one, such as 5-8.")
    return tempo.sample_of(first), tempo.sample_of(last + 1)


def _written(out: Path, roll: str, joins: bool) -> Iterator[Written]:
    """In the order in which they lie."""
    before = "join" if joins else "lead-in"
    for folder, kind in ((journal.LEAD_IN_FOLDER, before), ("", "take"), (journal.LEAD_OUT_FOLDER, "join")):
        for path in sorted((out / folder).glob(f"*{journal.SUFFIX}")):
            story = journal.read(path)
            if story.header.roll == roll and story.samples:
                yield Written(story, kind)


def _header(out: Path, plan: Plan) -> journal.RunHeader:
    """With the first run number none of whose files is there: nothing is ever overwritten."""
    armed, now = [t.id for t in plan.tracks if t.armed], datetime.now().astimezone()
    for number in itertools.count(1):
        made = header(plan, number, armed, now)
        paths = [*(f.path for f in made.files), f"run-{number:03}{journal.SUFFIX}"]
        if not any((out / path).exists() for path in paths):
            return made
    raise AssertionError("numbers do not end")

