"""The Lamplighter's Ferry, a waltz in 3/4: who plays what, note by note, in quarters."""

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from functools import cache
from types import MappingProxyType

import numpy as np

BARS = 32
BEATS = 3
QUARTERS = BARS * BEATS
PARTS = ("dulcimer", "cello", "bass clarinet", "frame drum", "harmonium", "narrator", "harp")


@dataclass(frozen=True)
class Note:
    """From ``quarter`` for ``quarters``; MIDI ``pitch``; ``force`` 0 to 1."""

    quarter: Fraction
    quarters: Fraction
    pitch: float
    force: float


_ROOTS = {"Dm": 50, "Am": 45, "Bb": 46, "F": 53, "Gm": 55, "A": 45, "C": 48}
_HARMONY = [
    *("Dm", "Am", "Bb", "F", "Gm", "Dm", "A", "A"), *("Dm", "Am", "Bb", "F", "Gm", "A", "Dm", "Dm"),
    *("F", "C", "Dm", "Am", "Bb", "F", "Gm", "A"), *("F", "C", "Dm", "Am", "Bb", "A", "Dm", "Dm"),
]

# One bar each: pairs of MIDI pitch and length in quarters.
_FIRST = "74:1 77:1 81:1|81:2 76:1|77:1 74:1 77:1|81:2 77:1|79:1 82:1 81:.5 79:.5"
_THEN = "81:1.5 84:.5 81:1|79:2 76:1|77:1 81:1 86:1|84:2 81:1"
_MELODY = "|".join([
    _FIRST, "77:1.5 76:.5 74:1", "76:1 73:1 69:1", "69:2 73:.5 76:.5",
    _FIRST, "79:.5 77:.5 76:1 73:1", "74:3", "69:1 74:2",
    _THEN, "82:1.5 81:.5 79:.5 77:.5", "81:2 84:1", "82:1 79:1 74:1", "76:2 73:1",
    _THEN, "82:1 81:1 79:1", "76:1 79:.5 77:.5 76:1", "74:3", "74:1 69:1 74:1",
]).split("|")


def _chord(bar: int) -> tuple[int, int, int]:
    name = _HARMONY[bar]
    root = _ROOTS[name]
    return root, root + (3 if name.endswith("m") else 4), root + 7


def _note(bar: int, at: float, length: float, pitch: float, force: float) -> Note:
    return Note(Fraction(bar * BEATS) + Fraction(at), Fraction(length), pitch, force)


def _dulcimer() -> list[Note]:
    out = []
    for bar, text in enumerate(_MELODY):
        at = 0.0
        for item in text.split():
            pitch, length = item.split(":")
            out.append(_note(bar, at, float(length), int(pitch), 0.9 if at == 0 else 0.7))
            if float(length) >= 2:
                out.append(_note(bar, at + 1, 1, int(pitch) - 12, 0.45))
            at += float(length)
    return out


def _cello() -> list[Note]:
    out = []
    for bar in range(BARS):
        root, _, fifth = _chord(bar)
        out += [_note(bar, 0, 2, root - 12, 0.9), _note(bar, 2, 1, fifth - 12, 0.6)]
    return out


def _bass_clarinet() -> list[Note]:
    out = []
    for bar in range(2, BARS):
        root, third, fifth = _chord(bar)
        if bar % 2:
            out += [_note(bar, 0, 1, fifth, 0.8), _note(bar, 1, 1, third, 0.7), _note(bar, 2, 1, root, 0.7)]
        else:
            out += [_note(bar, 0, 2, third, 0.85), _note(bar, 2, 1, fifth, 0.65)]
    return out


def _frame_drum() -> list[Note]:
    low, rim = 42.0, 58.0
    out = []
    for bar in range(BARS):
        out += [_note(bar, 0, 1, low, 0.95), _note(bar, 1, 1, rim, 0.4), _note(bar, 2, 1, rim, 0.5)]
        if bar % 4 == 3:
            out += [_note(bar, 1.5, 0.5, rim, 0.35), _note(bar, 2.5, 0.5, low, 0.6)]
    return out


def _harmonium() -> list[Note]:
    return [
        _note(bar, 0, 2.9, pitch + 12, force)
        for bar in range(BARS)
        for pitch, force in zip(_chord(bar), (0.42, 0.36, 0.34), strict=True)
    ]


def _harp() -> list[Note]:
    out = []
    for bar in range(BARS):
        root, third, fifth = _chord(bar)
        steps = (root, fifth, third + 12, fifth + 12, third + 12, fifth)
        out += [_note(bar, n * 0.5, 0.5, p + 12, 0.8 if n == 0 else 0.55) for n, p in enumerate(steps)]
    return out


def _narrator() -> list[Note]:
    """Free speech over the bars: phrases of syllables that fall towards their end."""
    rng = np.random.default_rng(1871)
    out = []
    for bar in range(0, BARS, 4):
        at, end = bar * 3 + 0.5, bar * 3 + 9.0
        while at < end:
            length = float(rng.choice([0.2, 0.3, 0.3, 0.45]))
            fall = 5.0 * (at - bar * 3) / 9.0
            pitch = round(2 * (48.0 + float(rng.integers(0, 4)) - fall)) / 2
            force = 0.9 if length > 0.4 else float(rng.uniform(0.5, 0.8))
            out.append(Note(Fraction(at).limit_denominator(960), Fraction(length), pitch, force))
            at += length + (0.4 if rng.random() < 0.15 else 0.03)
    return out


@cache
def parts() -> Mapping[str, tuple[Note, ...]]:
    """Every part's notes in order of their start."""
    made = {
        "dulcimer": _dulcimer(), "cello": _cello(), "bass clarinet": _bass_clarinet(),
        "frame drum": _frame_drum(), "harmonium": _harmonium(), "narrator": _narrator(), "harp": _harp(),
    }
    return MappingProxyType({name: tuple(sorted(notes, key=lambda n: n.quarter)) for name, notes in made.items()})
