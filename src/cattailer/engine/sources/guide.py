"""Guide notes made in code: the same at a sample, whatever block it comes in."""

from bisect import bisect_left, bisect_right
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from cattailer.core.notes.guide import MOST_HELD_S, Guide, hz_of
from cattailer.core.time.timeline import TempoMap

Floats = NDArray[np.float32]
_PARTIALS = np.array([1.0, 0.45, 0.22, 0.1, 0.05])
LEVEL = 0.09
"""Of one key, at its peak about."""
ATTACK_S, RELEASE_S = 0.02, 0.08


class Tone:
    """The keys of a note or chord. ``NO_END`` sounds until it is let go."""

    NO_END = 1 << 60

    def __init__(self, pitches: Sequence[int], start: int, stop: int, rate_hz: int, reference_hz: float) -> None:
        self.pitches, self.start, self.stop = tuple(pitches), start, stop
        hz = np.outer([hz_of(p, reference_hz) for p in pitches], np.arange(1, len(_PARTIALS) + 1)).ravel()
        level = np.tile(_PARTIALS, len(self.pitches)) * LEVEL
        self._cycles = hz[hz < 0.45 * rate_hz] / rate_hz
        self._level = level[hz < 0.45 * rate_hz]
        self._attack, self._release = max(1, round(ATTACK_S * rate_hz)), max(1, round(RELEASE_S * rate_hz))

    @property
    def over(self) -> int:
        """Where nothing of it is left."""
        return self.stop + self._release

    def add(self, out: Floats, position: int) -> None:
        """Adds what sounds from ``position`` on to ``out``, shape (samples,)."""
        a, b = max(self.start, position), min(self.over, position + len(out))
        if a >= b:
            return
        at = np.arange(a - self.start, b - self.start)
        turns = np.outer(self._cycles, at)
        sound = self._level @ np.sin(2.0 * np.pi * (turns - np.floor(turns)))
        rise = np.minimum(at / self._attack, 1.0)
        fall = np.clip((at - (self.stop - self.start)) / self._release, 0.0, 1.0)
        sound *= (0.5 - 0.5 * np.cos(np.pi * rise)) * (0.5 + 0.5 * np.cos(np.pi * fall))
        out[a - position : b - position] += sound.astype(np.float32)


class GuideNotes:
    """Those that stand on the timeline; made off the block path."""

    def __init__(self, guides: Sequence[Guide], tempo: TempoMap, reference_hz: float) -> None:
        made = [Tone(g.pitches, *g.span(tempo), tempo.rate_hz, reference_hz) for g in guides]
        self._tones = sorted(made, key=lambda t: t.start)
        self._starts = [t.start for t in self._tones]
        self._longest = max((t.over - t.start for t in self._tones), default=0)

    def add(self, out: Floats, position: int) -> None:
        low = bisect_left(self._starts, position - self._longest)
        for tone in self._tones[low : bisect_right(self._starts, position + len(out))]:
            tone.add(out, position)


class Keyboard:
    """Keys that somebody holds down; belongs to the block path. Times are ring samples."""

    def __init__(self, rate_hz: int) -> None:
        self._rate = rate_hz
        self._held: Tone | None = None
        self._sounding: list[Tone] = []

    @property
    def silent(self) -> bool:
        return not self._sounding

    def hold(self, tone: Tone | None, now: int) -> None:
        """Lets go of what was held, and holds this from ``now`` on."""
        if self._held is not None:
            self._held.stop = min(self._held.stop, now)
        self._held = tone
        if tone is not None:
            tone.start, tone.stop = now, now + round(MOST_HELD_S * self._rate)
            self._sounding.append(tone)

    def add(self, out: Floats, now: int) -> None:
        for tone in self._sounding:
            tone.add(out, now)
        self._sounding = [t for t in self._sounding if t.over > now + len(out)]
