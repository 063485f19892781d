"""The pattern player: software sources that follow the tempo map, exact on the grid.

What sounds is a function of the timeline's position alone, so every pass is the same.
"""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from cattailer.core.patch.ends import SOFTWARE
from cattailer.core.time.pattern import LOW, SHAKER, Hit, bar_of
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.sources.ahead import Ahead, Events

Floats = NDArray[np.float32]
AHEAD_S, BEHIND_S = 40, 12
_LEVEL = {"beat": 0.5, "bass": 0.35, "pad": 0.12}
_WIDTH = {"beat": 0.25, "bass": 0.0, "pad": 0.6}
_RELEASE_S = 0.08


class PatternPlayer:
    """``pump`` works out what is near, off the block path; ``block`` only adds up."""

    def __init__(self, tempo: TempoMap) -> None:
        self._tempo = tempo
        self._longest = 0
        self._render = lru_cache(maxsize=256)(self._make)
        self._ahead = Ahead(self._made, BEHIND_S * tempo.rate_hz, AHEAD_S * tempo.rate_hz)

    def pump(self, places: Sequence[int]) -> None:
        """Prepares what sounds around the places to which the timeline may go next."""
        self._ahead.pump(places)

    @property
    def late(self) -> int:
        return self._ahead.late

    def _made(self, start: int, stop: int) -> Events[tuple[int, Floats]]:
        start = max(0, start)
        events: list[tuple[int, tuple[int, Floats]]] = []
        bar = max(1, self._tempo.bar_beat_at(start).bar)
        while self._tempo.sample_of(bar) < stop:
            quarter = self._tempo.quarter_of(bar)
            for hit in bar_of(bar, self._tempo.meter_of(bar)):
                at = self._tempo.sample_at(quarter + hit.quarter)
                end = self._tempo.sample_at(quarter + hit.quarter + hit.quarters)
                events.append((at, (2 * SOFTWARE.index(hit.voice), self._sound(hit, end - at))))
            bar += 1
        events.sort(key=lambda e: (e[0], e[1][0]))
        self._longest = max([self._longest, *(sound.shape[1] for _, (_, sound) in events)])
        return Events(events)

    def block(self, position: int, out: Floats) -> None:
        """Writes what sounds from timeline ``position`` into ``out``, shape (6, samples)."""
        out[:] = 0.0
        stop = position + out.shape[1]
        near = self._ahead.find(position, stop)
        if near is None:
            return
        for at, (row, sound) in near.after(position - self._longest, stop):
            a, b = max(at, position), min(at + sound.shape[1], stop)
            if a < b:
                out[row : row + 2, a - position : b - position] += sound[:, a - at : b - at]

    def _sound(self, hit: Hit, samples: int) -> Floats:
        if hit.voice == "beat":
            samples = round(self._tempo.rate_hz * (0.25 if hit.pitch == LOW else 0.08))
        return self._render(hit.voice, hit.pitch, samples, hit.force)

    def _make(self, voice: str, pitch: int, samples: int, force: float) -> Floats:
        """Left and right; begins and ends at silence but for the drums, whose first sample is large."""
        rate = self._tempo.rate_hz
        release = round(_RELEASE_S * rate) if voice != "beat" else 0
        t = np.arange(samples + release) / rate
        hz = 440.0 * 2.0 ** ((pitch - 69) / 12.0)
        if voice == "beat":
            rng = np.random.default_rng(pitch)
            if pitch == LOW:
                sound = np.cos(2 * np.pi * (48.0 * t + 3.0 * (1 - np.exp(-t / 0.02)))) * np.exp(-t / 0.07)
            else:
                noise = rng.standard_normal(len(t))
                sound = np.diff(noise, prepend=0.0) * 0.5 * np.exp(-t / (0.012 if pitch == SHAKER else 0.03))
            sides = (1.0, 1.0) if pitch == LOW else (0.7, 1.0)
        elif voice == "bass":
            sound = sum(np.sin(2 * np.pi * hz * k * t) / k**2 for k in (1, 2, 3)) * np.exp(-t / 0.9)
            sides = (1.0, 1.0)
        else:
            sound = np.sin(2 * np.pi * hz * t) + 0.4 * np.sin(2 * np.pi * 2.004 * hz * t)
            sides = (1.0 - _WIDTH[voice] / 2, 1.0) if pitch % 2 else (1.0, 1.0 - _WIDTH[voice] / 2)
        if release:
            attack = min(samples, round((0.005 if voice == "bass" else 0.12) * rate))
            sound[:attack] *= np.linspace(0.0, 1.0, attack)
            sound[-release:] *= np.linspace(1.0, 0.0, release)
        return np.array([[s] for s in sides], np.float32) * (sound * (_LEVEL[voice] * force)).astype(np.float32)
