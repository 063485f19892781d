"""Sound files from elsewhere: which tracks their channels become, and what they are called."""

from dataclasses import dataclass

from cattailer.core.wording import counted

SINGLE, PAIRS = "single", "pairs"
SPLITS = (SINGLE, PAIRS)
"""What the channels of a file that has more than two become."""
MAX_CHANNELS, MAX_HOURS, MIN_RATE_HZ, MAX_RATE_HZ = 64, 8, 4_000, 768_000
IMPORTED = "imported"
"""The note of a run that was imported."""
RESERVED_BYTES = 1_000_000_000
"""What must stay free on the disk for capturing."""


@dataclass(frozen=True)
class TrackPart:
    """A track that is made from a file: its name, and the file's channels (from 0) that it gets."""

    name: str
    channels: tuple[int, ...]


def parts(stem: str, channels: int, split: str) -> tuple[TrackPart, ...]:
    """One or two channels are one track; more become pairs, with a single one at the end where their number is odd, or
    single tracks."""
    if channels <= 2:
        return (TrackPart(stem, tuple(range(channels))),)
    if split == SINGLE:
        return tuple(TrackPart(f"{stem} {n + 1}", (n,)) for n in range(channels))
    groups = [tuple(range(n, min(n + 2, channels))) for n in range(0, channels, 2)]
    return tuple(TrackPart(f"{stem} {'+'.join(str(c + 1) for c in group)}", group) for group in groups)


def split_words(channels: int, split: str) -> str:
    """"6 single tracks", "3 stereo pairs", "2 stereo pairs, 1 single"."""
    if split == SINGLE:
        return f"{channels} single tracks"
    return f"{counted(channels // 2, 'stereo pair')}{', 1 single' if channels % 2 else ''}"


def why_not(name: str, channels: int, samples: int, rate_hz: int) -> str:
    """Why a file cannot be imported; empty where it can."""
    if channels > MAX_CHANNELS:
        return f"{name} has {channels} channels; {MAX_CHANNELS} is the most. Split it first."
    if not MIN_RATE_HZ <= rate_hz <= MAX_RATE_HZ:
        return f"{name} says that its sample rate is {rate_hz:,} Hz, which no recording has. Export it again."
    if samples > MAX_HOURS * 3600 * rate_hz:
        return f"{name} is longer than {MAX_HOURS} hours. Cut it into shorter files first."
    return ""


def length_text(samples: int, rate_hz: int) -> str:
    """"40 s", "3 min 12 s", "1 h 2 min 5 s"; whole seconds, cut off and not rounded up."""
    seconds = samples // rate_hz
    hours, minutes, rest = seconds // 3600, seconds // 60 % 60, seconds % 60
    if hours:
        return f"{hours} h {minutes} min {rest} s"
    if minutes:
        return f"{minutes} min {rest} s"
    return f"{rest} s" if seconds else f"{samples / rate_hz:.2f} s"


def unkept(name: str, rate_hz: int, there: int, promised: int | None, damaged: int) -> str:
    """What a file promises that breaks off, or has another length than it says, and what is there; or that so many
    frames of it are damaged."""
    if damaged and (promised is None or promised <= there):
        return f"{name} is damaged: {counted(damaged, 'frame')} of it cannot be read. Copy or export it again."
    if promised is None or promised == there:
        has = _tenths(there, rate_hz)
        return f"{name} breaks off: {has} are there, and its end is missing. Copy or export it again."
    says, has = _tenths(promised, rate_hz), _tenths(there, rate_hz)
    if says == has:
        says, has = counted(promised, "sample"), counted(there, "sample")
    return f"{name} promises {says}, but {has} are there. Copy or export it again."


def _tenths(samples: int, rate_hz: int) -> str:
    """"33.4 s", "2 min 33.4 s"."""
    minutes, tenths = divmod(round(10 * samples / rate_hz), 600)
    return f"{f'{minutes:,} min ' if minutes else ''}{tenths / 10:.1f} s"
