"""Where notes begin, on plucked and struck material whose times are known."""

import numpy as np
import pytest

from cattailer.core.sound.onsets import notes, onsets

RATE = 48_000


def played(kind: str, seed: int, notes: int = 60) -> tuple[np.ndarray, list[int]]:
    """Notes at known samples, over a little room noise: plucked strings ring on under the next, drums do not."""
    rng = np.random.default_rng(seed)
    times = np.cumsum(rng.uniform(0.14, 0.5, notes)) + 0.2
    length = int((times[-1] + 1.0) * RATE)
    out = 0.0008 * rng.standard_normal(length)
    for time in times:
        at = int(time * RATE)
        t = np.arange(min(length - at, RATE)) / RATE
        level = rng.uniform(0.15, 0.6)
        if kind == "plucked":
            hz = 110 * 2 ** (rng.integers(0, 24) / 12)
            rise = np.minimum(1.0, t / 0.001)
            tone = sum(np.sin(2 * np.pi * hz * k * t + rng.uniform(0, 6)) / k for k in range(1, 9))
            note = level * 0.4 * rise * np.exp(-t * 5.0) * tone
        else:
            hz = rng.uniform(70, 180)
            body = np.exp(-t * 18.0) * np.sin(2 * np.pi * hz * t)
            note = level * (body + 0.5 * np.exp(-t * 60.0) * rng.standard_normal(len(t)))
        out[at : at + len(t)] += note
    return out, [int(t * RATE) for t in times]


@pytest.mark.parametrize("kind", ["plucked", "struck"])
def test_at_least_98_of_100_notes_are_found_within_5_ms_and_few_others(kind: str) -> None:
    wanted = found = false = 0
    for seed in range(10, 14):
        sound, times = played(kind, seed)
        marks = onsets(sound, RATE)
        near = [np.abs(marks - t).min(initial=RATE) <= 0.005 * RATE for t in times]
        wanted, found = wanted + len(times), found + sum(near)
        false += sum(min(abs(m - t) for t in times) > 0.005 * RATE for m in marks)
    assert found / wanted >= 0.98, f"{found} of {wanted}"
    assert false / wanted <= 0.02, f"{false} false"


def test_nothing_is_found_in_silence_noise_or_a_steady_tone() -> None:
    assert len(onsets(np.zeros(RATE), RATE)) == 0
    assert len(onsets(np.zeros(10), RATE)) == 0
    tone = 0.3 * np.sin(2 * np.pi * 440 * np.arange(2 * RATE) / RATE)
    assert len(onsets(tone, RATE)) <= 2, "where it begins and ends"


@pytest.mark.parametrize("attack_s", [0.02, 0.08])
def test_of_bowed_notes_at_most_a_tenth_is_false_and_swells_are_counted(attack_s: float) -> None:
    rng, notes_of_bow, t = np.random.default_rng(1), 80, np.arange(RATE // 2) / RATE
    out, times = 0.0005 * rng.standard_normal(RATE * 42), []
    for n in range(notes_of_bow):
        at, hz = RATE + n * RATE // 2, 196 * 2 ** (rng.integers(0, 12) / 12)
        turn = 2 * np.pi * hz * t + 0.3 * np.sin(2 * np.pi * 5.5 * t)
        shape = np.minimum(1, t / attack_s) * np.minimum(1, (0.5 - t) / 0.06) * (1 + 0.05 * np.sin(2 * np.pi * 6 * t))
        tone = sum(np.sin(k * turn) / k for k in range(1, 12))
        out[at : at + len(t)] += 0.1 * shape * (tone + 0.05 * rng.standard_normal(len(t)))
        times.append(at)
    found = notes(out, RATE)
    false = sum(min(abs(m - a) for a in times) > 0.08 * RATE for m in found.at)
    assert false <= 0.1 * notes_of_bow
    assert len(found.at) == notes_of_bow or found.swells > len(found.at), "found, or said that they begin too softly"
