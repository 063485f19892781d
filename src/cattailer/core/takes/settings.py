"""How a session captures, as people choose it, and the course that this makes."""

from dataclasses import asdict, dataclass, fields, replace
from math import isfinite
from typing import Any

from cattailer.core.takes.course import BEGINS, NOW, ROLLS, SOUND, SOUNDS, Course
from cattailer.core.takes.over import KEEP, WAYS
from cattailer.core.time.timeline import BEFORE_ZERO_S, TempoMap
from cattailer.core.units import amplitude

PLAYHEAD, RANGE, LAST = "playhead", "range", "last"
FROM = {PLAYHEAD: "the playhead", RANGE: "the range", LAST: "the last start"}
BEGIN_WORDS = {
    NOW: "at once", ROLLS: "on a second press", SOUND: "when sound arrives", SOUNDS: "while there is sound",
}
LIMITS: dict[str, tuple[float, float, str]] = {
    "pre_bars": (0, 16, "bars of pre-roll"), "post_bars": (0, 16, "bars of post-roll"),
    "passes": (0, 1000, "passes"), "pause_s": (0, 600, "seconds between passes"),
    "threshold_dbfs": (-90, 0, "dBFS"), "before_ms": (0, 5000, "ms before the sound"),
    "gap_s": (0.1, 30, "seconds without sound"), "tail_s": (0, 30, "seconds after the sound"),
    "limit_s": (0, 86_400, "seconds at most"),
}
"""The lowest and the highest of each, and what it is."""


@dataclass(frozen=True)
class CaptureSettings:
    """``begin`` is one of ``course.BEGINS``; ``start`` where it captures from. ``passes`` 0 is until stopped,
    ``limit_s`` 0 none; ``over`` is one of ``over.WAYS``. ``disarms``: tracks are no longer armed after a run.
    ``holds``: a run stops only where Stop is held for a second. ``marks``: where a run begins and ends is marked.

    Raises ValueError for what there is not.
    """

    begin: str = NOW
    start: str = PLAYHEAD
    pre_bars: int = 0
    post_bars: int = 0
    passes: int = 0
    pause_s: float = 0.0
    threshold_dbfs: float = -40.0
    before_ms: float = 500.0
    gap_s: float = 2.0
    tail_s: float = 1.0
    limit_s: float = 0.0
    over: str = KEEP
    disarms: bool = False
    holds: bool = False
    marks: bool = False

    def __post_init__(self) -> None:
        if self.begin not in BEGINS:
            raise ValueError(f"a capture begins {', '.join(BEGIN_WORDS.values())}; not {self.begin!r}")
        if self.start not in FROM:
            raise ValueError(f"a capture starts at {', '.join(FROM.values())}; not {self.start!r}")
        if self.over not in WAYS:
            raise ValueError(f"over what is there it can {', '.join(words for words, _ in WAYS.values())}")
        for name, (low, high, words) in LIMITS.items():
            if not low <= getattr(self, name) <= high:
                raise ValueError(f"{low:g} to {high:g} {words}, not {getattr(self, name):g}")
        if self.tail_s > self.gap_s:
            raise ValueError("what is kept after the sound lies within the gap that ends it")

    @property
    def by_sound(self) -> bool:
        return self.begin in (SOUND, SOUNDS)

    def planned_samples(self, rate_hz: int, range_samples: int, looping: bool) -> int:
        """How long the next capture will be, 0 where nobody knows: its limit, or its passes."""
        passes = self.passes if looping else int(self.start == RANGE)
        ranged = 0 if self.by_sound else passes * max(0, range_samples)
        return min(filter(None, (round(self.limit_s * rate_hz), ranged)), default=0)

    def changed(self, name: str, typed: str) -> "CaptureSettings":
        """With one setting as somebody typed it. Raises ValueError."""
        if name not in self.__dataclass_fields__:
            raise ValueError(f"there is no setting {name!r}")
        now = getattr(self, name)
        value: Any = typed
        if isinstance(now, bool):
            value = typed in ("on", "true")
        elif not isinstance(now, str):
            try:
                number = float(typed.strip().replace("−", "-").replace(",", ".") or "0")
            except ValueError as why:
                raise ValueError(f"{typed!r} is no number") from why
            if not isfinite(number):
                raise ValueError(f"{typed!r} is no number")
            value = round(number) if isinstance(now, int) else number
        return replace(self, **{name: value})

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "CaptureSettings":
        known = {f.name for f in fields(cls)}
        return cls(**{k: v for k, v in data.items() if k in known})


@dataclass(frozen=True)
class Place:
    """Where a capture could start: the playhead, a range (empty where its ends are equal) that loops or not, and where
    the last run began; timeline positions."""

    playhead: int
    range: tuple[int, int] = (0, 0)
    looping: bool = False
    last: int = 0


def course_of(settings: CaptureSettings, tempo: TempoMap, place: Place) -> Course:
    """Raises ValueError where it starts at a range and there is none."""
    rate, (first, until) = tempo.rate_hz, place.range
    ranged = settings.start == RANGE
    if ranged and first >= until:
        raise ValueError("there is no range to capture in")
    loops = place.looping and first < until and not settings.by_sound
    start = {PLAYHEAD: place.playhead, RANGE: first, LAST: place.last}[settings.start]
    if loops and not first <= start < until:
        start = first
    punches = ranged and not loops and not settings.by_sound
    pre = _bars(tempo, start, -settings.pre_bars)
    return Course(
        settings.begin, None if settings.start == PLAYHEAD and not loops and not pre else start,
        first if loops else None, until if loops or punches else None, loops, settings.passes if loops else 0,
        round(settings.pause_s * rate) if loops else 0,
        min(pre, start + BEFORE_ZERO_S * rate) if not settings.by_sound else 0,
        _bars(tempo, until, settings.post_bars) if punches else 0,
        round(settings.limit_s * rate) or None, amplitude(settings.threshold_dbfs),
        round(settings.before_ms * rate / 1000), round(settings.gap_s * rate), round(settings.tail_s * rate),
        punches or pre > 0,
    )


def _bars(tempo: TempoMap, position: int, bars: int) -> int:
    """How many samples so many bars before (negative) or after the bar of a position last."""
    bar = tempo.bar_beat_at(position).bar
    return abs(tempo.sample_of(bar + bars) - tempo.sample_of(bar))
