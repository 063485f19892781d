"""What the engine publishes: levels and transport, waveforms, events, and the sound of mixes.

Each message is two frames: a topic and msgpack. The topics are ``frame``, ``wave``, ``event`` and one for each mix."""

from typing import Any, Literal, TypedDict


class Meters(TypedDict):
    """Levels in dB by row, as ``RowMeters.as_sent`` gives them."""

    peak: list[float]
    hold: list[float]
    rms: list[float]
    max: list[float]
    crest: list[float]
    clips: list[int]
    clipped_at: list[float]
    zone: list[str]


class TrackMeters(Meters):
    """By track, in the order of ``ids``."""

    ids: list[int]


class Frame(TypedDict):
    """Thirty times a second. ``t`` is when it was, in seconds since 1970, ``sample`` the ring sample then;
    ``pairs`` are by what a page calls them: "main", a mix's key, or the channels of a pair with a comma; ``take``
    is the number that what is captured gets, 0 while nothing is; ``going`` says which pass it is, how long it has
    been captured and how long it will be, ``behind`` that the disk does not keep up, ``silent`` that
    nothing comes from a socket; ``ready`` changes with what
    the ready check hears; ``channel`` is None unless meters read behind the channels; ``limits`` (by the mix's key)
    and ``turned_down`` (by the row's) are what limiters and compressors take away, in dB."""

    topic: Literal["frame"]
    t: float
    session: int
    title: str
    revision: int
    rate: int
    state: str
    position: int
    sample: int
    clock: str
    samples: str
    where: str
    bar: int
    beat: int
    of: int
    run: str | None
    captured: int
    take: int
    going: str
    behind: str
    silent: str
    ready: str
    dropouts: int
    players: dict[str, str]
    window: tuple[float, float]
    muted: bool
    sockets: int
    kind: str
    point: str
    vu_zero: float
    inputs: Meters
    pairs: dict[str, dict[str, Any]]
    channel: TrackMeters | None
    limits: dict[str, float]
    turned_down: dict[str, float]


class Wave(TypedDict):
    """Extremes of what was written to disk: pairs of 16-bit values, one for each ``size`` samples, by track."""

    topic: Literal["wave"]
    run: str
    start: int
    bucket: int
    size: int
    tracks: list[tuple[int, list[int]]]


class Halt(TypedDict):
    topic: Literal["event"]
    kind: Literal["halt"]
    message: str


class Lost(TypedDict):
    """A dropout in a run: ``at`` is its place on the timeline; ``cause`` as in ``media.journal.Dropout``."""

    topic: Literal["event"]
    kind: Literal["dropout"]
    at: int
    samples: int
    load: float
    cause: str


class Late(TypedDict):
    """Takes or patterns that should have sounded were not there in time; ``blocks`` of them."""

    topic: Literal["event"]
    kind: Literal["late"]
    blocks: int


class Bypassed(TypedDict):
    """An effect failed and was switched off."""

    topic: Literal["event"]
    kind: Literal["effect"]
    message: str


class Clipped(TypedDict):
    """A track clipped while it was captured, at a place on the timeline."""

    topic: Literal["event"]
    kind: Literal["clip"]
    at: int
    track: int


class RunEnded(TypedDict):
    topic: Literal["event"]
    kind: Literal["run"]
    run: str
    journal: str


class MixSound(TypedDict):
    """20 ms of a mix: little-endian 32-bit float, left and right interleaved."""

    topic: Literal["mix"]
    mix: int
    at: int
    rate: int
    pcm: bytes


Event = Halt | Lost | Late | Bypassed | Clipped | RunEnded
Telemetry = Frame | Wave | Event | MixSound


def mix_topic(mix_id: int) -> str:
    """The topic of a mix. It ends so that no other topic begins with it."""
    return f"mix/{mix_id}/"


def topic_of(message: Telemetry) -> str:
    return mix_topic(message["mix"]) if message["topic"] == "mix" else message["topic"]
