"""What to do with a preamp after a sound check, with the sum shown."""

import math
from dataclasses import dataclass, replace
from typing import Literal

from cattailer.core.findings import Finding
from cattailer.core.gear.interface import SWITCHES, Profile
from cattailer.core.patch.patch import PatchInput
from cattailer.core.units import add_powers
from cattailer.core.wording import counted

CHECK_MARGIN_DB = 6.0
"""People play about this much louder than they check."""

CLIPPED_DB = 6.0
"""Where a check clipped, the true peaks are unknown: at least this much was cut off, as a guess."""

BELOW_MIDDLE = 0.4
SILENT_DBFS = -60.0
GAP_DB = 35.0
"""A floor less far below the peak than this is not noise: whoever played left no gaps."""

Phase = Literal["check", "performance"]
PHASES: dict[Phase, str] = {"check": "a check", "performance": "a performance"}

Window = tuple[float, float]

LEAST_DB = 0.05
"""Gains that are no farther apart are the same."""


@dataclass(frozen=True)
class Margin:
    """How much louder this player plays than they check, over ``takes`` takes that followed."""

    db: float = CHECK_MARGIN_DB
    takes: int = 0


@dataclass(frozen=True)
class Preamp:
    """``step_db`` 0 is a knob that can be set to anything. ``remote`` is False where a hand must turn it."""

    gain_db: float
    min_db: float
    max_db: float
    step_db: float
    pad_db: float = 0.0
    pad_in: bool = False
    converter_noise_dbfs: float = -116.0
    remote: bool = True


@dataclass(frozen=True)
class Heard:
    """What the check collected of one row."""

    phase: str
    peak_dbfs: float
    floor_dbfs: float
    clips: int

    def through(self, moved_db: float) -> "Heard":
        """What would have been heard with the gain moved: what clipped may have been higher than it seemed."""
        if not self.clips or moved_db >= 0.0:
            return replace(self, peak_dbfs=self.peak_dbfs + moved_db, floor_dbfs=self.floor_dbfs + moved_db)
        return Heard(self.phase, self.peak_dbfs + CLIPPED_DB + moved_db, self.floor_dbfs + moved_db, 0)


@dataclass(frozen=True)
class Advice:
    """``kind``: "leave", "up", "down", "silent" or "end" (the preamp cannot go that far). ``words`` tell the
    whole sum, ``short`` what to do.

    ``gain_db`` and ``pad_in`` are what to set; ``peak_dbfs`` what is expected then.
    """

    kind: str
    words: str
    gain_db: float
    pad_in: bool
    peak_dbfs: float
    short: str

    @property
    def changes(self) -> bool:
        return self.kind in ("up", "down", "end")


def source_key(row: PatchInput) -> str:
    """Who plays at a socket, as checks and takes are matched: by its label, else by its source."""
    return row.name.casefold()


def net_gain_db(row: PatchInput, profile: Profile) -> float:
    """The preamp's gain less its pad."""
    socket = profile.socket(row.socket)
    return (row.gain_db if socket.preamp else 0.0) - (socket.pad_db if row.pad else 0.0)


def differs(name: str, now_db: float, was_db: float, take: int) -> list[Finding]:
    """What is said of a track whose gain is not that of the take that lies where it is captured."""
    if abs(now_db - was_db) < LEAST_DB:
        return []
    words = f"{name} is at {now_db:+g} dB; take {take}, which lies there, was at {was_db:+g} dB"
    return [Finding("look", words)]


def preamp_words(row: PatchInput, profile: Profile) -> str:
    """How a preamp is set, such as "+34 dB, pad, 48 V"."""
    on = [word for name, word in SWITCHES.items() if getattr(row, name)]
    return ", ".join([f"{row.gain_db:+g} dB" if profile.socket(row.socket).preamp else "fixed", *on])


def preamp_of(row: PatchInput, profile: Profile) -> Preamp | None:
    """None where a socket has no preamp to set."""
    socket = profile.socket(row.socket)
    if not socket.preamp:
        return None
    step = profile.gain_step_db if socket.remote else 0.0
    return Preamp(
        row.gain_db, profile.gain_min_db, profile.gain_max_db, step, socket.pad_db, row.pad,
        profile.converter_noise_dbfs, socket.remote,
    )


def learned(checks_db: list[float], takes_db: list[float]) -> Margin:
    """The margin of a player from differences of peaks, both less their gains: of each take, the check before it."""
    differences = [t - c for c, t in zip(checks_db, takes_db, strict=True)]
    if not differences:
        return Margin()
    middle = sorted(differences)
    count = len(middle)
    median = middle[count // 2] if count % 2 else (middle[count // 2 - 1] + middle[count // 2]) / 2.0
    return Margin(min(20.0, max(-6.0, median)), count)


def aim(window: Window) -> float:
    """Where in the window peaks are sent: a little below the middle. Players err both ways, but a performance
    is longer than a check, and so finds a higher peak."""
    return window[0] + (window[1] - window[0]) * BELOW_MIDDLE


def advise(heard: Heard, preamp: Preamp, window: Window, margin: Margin) -> Advice:
    """Advice for one row; gains are rounded to the preamp's steps and kept in its range."""
    if heard.peak_dbfs < SILENT_DBFS:
        return _said("silent", "", "No signal was heard in the check.", preamp.gain_db, preamp.pad_in, heard.peak_dbfs)
    above = margin.db if heard.phase == "check" else 0.0
    cut = CLIPPED_DB if heard.clips else 0.0
    expected = heard.peak_dbfs + above + cut
    sum_words = _sum(heard, margin, expected, cut)
    if window[0] <= expected <= window[1]:
        return _said("leave", sum_words, "In the window. Leave it.", preamp.gain_db, preamp.pad_in, expected)
    wanted = preamp.gain_db + aim(window) - expected
    gain, pad, kind = _reachable(wanted, preamp, expected, window)
    moved = gain - preamp.gain_db + preamp.pad_db * (preamp.pad_in - pad)
    peak = expected + moved
    gaps = heard.floor_dbfs < heard.peak_dbfs - GAP_DB
    floor = _floor_after(heard.floor_dbfs, moved, preamp.converter_noise_dbfs) if gaps else -200.0
    what = turned(preamp, gain, pad)
    ending = f" {_beyond(wanted > gain)}" if kind == "end" else ""
    if not what:
        return _said("leave", sum_words, _beyond(wanted > gain), gain, pad, peak)
    return _said(kind, sum_words, f"{what}: peaks near {peak:.0f}{_noise(floor)}.{ending}", gain, pad, peak)


def _said(kind: str, sum_words: str, short: str, gain_db: float, pad_in: bool, peak_dbfs: float) -> Advice:
    return Advice(kind, _minus(f"{sum_words} {short}".strip()), gain_db, pad_in, peak_dbfs, _minus(short))


def _sum(heard: Heard, margin: Margin, expected: float, cut: float) -> str:
    peaked = f"Clipped {heard.clips}×" if heard.clips else f"Peaked at {heard.peak_dbfs:.1f}"
    where = "in the check" if heard.phase == "check" else "in performance"
    if heard.clips:
        peaked += f", so the peaks were higher than {heard.peak_dbfs:.1f}; {cut:.0f} dB more is assumed"
    if heard.phase == "check":
        takes = counted(margin.takes, "take")
        own = f" (this player: {margin.db:.1f} over {takes})" if margin.takes else ""
        people = f"People play about {CHECK_MARGIN_DB:.0f} dB louder than they check{own}, so expect {expected:+.1f}."
        return _minus(f"{peaked} {where}. {people}".replace("+-", "-"))
    return _minus(f"{peaked} {where}." if not cut else f"{peaked}. Expect {expected:+.1f}.")


def _reachable(wanted: float, preamp: Preamp, expected: float, window: Window) -> tuple[float, bool, str]:
    """The nearest gain and pad that there are; a pad comes in when the gain alone cannot go down enough."""
    kind = "up" if wanted > preamp.gain_db else "down"
    pad = preamp.pad_in
    if wanted < preamp.min_db and preamp.pad_db and not pad:
        pad, wanted = True, wanted + preamp.pad_db
    elif wanted > preamp.max_db and pad:
        pad, wanted = False, wanted - preamp.pad_db
    gain = min(preamp.max_db, max(preamp.min_db, wanted))
    if preamp.step_db:
        gain = preamp.min_db + round((gain - preamp.min_db) / preamp.step_db) * preamp.step_db
        gain = min(gain, preamp.min_db + math.floor((preamp.max_db - preamp.min_db) / preamp.step_db) * preamp.step_db)
    peak = expected + gain - preamp.gain_db + preamp.pad_db * (preamp.pad_in - pad)
    return gain, pad, kind if window[0] <= peak <= window[1] or abs(gain - wanted) < 0.75 else "end"


def turned(preamp: Preamp, gain: float, pad: bool) -> str:
    """What a hand does to get there, in words; empty where nothing changes."""
    parts = []
    if pad != preamp.pad_in:
        parts.append("pad in" if pad else "pad out")
    step = gain - preamp.gain_db
    if abs(step) >= 0.05:
        turn = "up" if step > 0 else "down"
        who = f"turn the knob {turn} by" if not preamp.remote else f"turn {turn}"
        parts.append(f"{who} {abs(step):g} dB")
    text = ", then ".join(parts)
    return text[:1].upper() + text[1:] if text else ""


def _beyond(too_quiet: bool) -> str:
    if too_quiet:
        return "The preamp is at its end: move the microphone closer, or use a more sensitive pick-up."
    return "The preamp is at its end: move the microphone away, or use a pad before it."


def _floor_after(floor_dbfs: float, moved_db: float, converter_dbfs: float) -> float:
    """The noise moves with the gain, but for the converter's own."""
    if floor_dbfs <= -160.0:
        return floor_dbfs
    below = 10.0 ** (floor_dbfs / 10.0) - 10.0 ** (converter_dbfs / 10.0)
    before = 10.0 * math.log10(max(below, 1e-20))
    return add_powers(before + moved_db, converter_dbfs)


def _noise(floor_dbfs: float) -> str:
    return f", noise floor {floor_dbfs:.0f}" if floor_dbfs > -160.0 else ""


def _minus(text: str) -> str:
    """A real minus sign before figures."""
    return "".join("−" if c == "-" and text[n + 1 : n + 2].isdigit() and (n == 0 or text[n - 1] == " ") else c
                   for n, c in enumerate(text))
