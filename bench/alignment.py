"""Finding offsets: 200 random cases at 20 dB, and 200 at 0 dB with spill and one echo; and how long it takes.

usage: python bench/alignment.py [CASES]
"""

import sys
import time

import numpy as np
from common import spread, tell

from cattailer.core.sound.align import SURE, WHITENING, find_offset

RATE = 48000


def delayed(sound: np.ndarray, samples: float) -> np.ndarray:
    """Later by a fraction of samples, by turning the phase; what falls off the end is lost."""
    size = 2 * len(sound)
    spectrum = np.fft.rfft(sound, size) * np.exp(-2j * np.pi * np.fft.rfftfreq(size) * samples)
    return np.fft.irfft(spectrum, size)[: len(sound)]


def coloured(rng: np.random.Generator, count: int) -> np.ndarray:
    """Something like music: noise that falls with frequency and comes in notes."""
    spectrum = np.fft.rfft(rng.standard_normal(count))
    hz = np.fft.rfftfreq(count, 1 / RATE)
    sound = np.fft.irfft(spectrum / np.sqrt(1 + (hz / rng.uniform(400, 4000)) ** 2), count)
    notes = np.repeat(rng.uniform(0.1, 1.0, count // 6000 + 1), 6000)[:count]
    return sound / np.std(sound) * notes


def case(rng: np.random.Generator, snr_db: float, hard: bool) -> tuple[float, float, bool, bool, bool]:
    """Error in samples, confidence, whether polarity was right, whether it was given, the true place of an echo aside."""
    count = 4 * RATE
    source = coloured(rng, count)
    offset, turned = float(rng.uniform(-3000, 3000)), bool(rng.random() < 0.5)
    heard = delayed(source, offset) * (-1 if turned else 1)
    if hard:
        heard = heard + delayed(heard, float(rng.uniform(60, 1800))) * rng.uniform(0.3, 0.7)
        spill = coloured(rng, count)
        heard = heard + spill / np.std(spill) * np.std(heard) * 0.5
    noise = rng.standard_normal(count) * np.std(heard) * 10 ** (-snr_db / 20)
    found = find_offset(source.astype(np.float32), (heard + noise).astype(np.float32), 4800, WHITENING)
    return abs(found.samples - offset), found.confidence, found.inverted == turned, found.confidence >= SURE, True


def main() -> None:
    cases = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    out = {}
    for name, snr, hard, allowed in (("at_20_db", 20.0, False, 0.05), ("at_0_db_with_spill_and_echo", 0.0, True, 1.0)):
        rng = np.random.default_rng(7)
        found = [case(rng, snr, hard) for _ in range(cases)]
        wrong = [f for f in found if f[0] > allowed or not f[2]]
        out[name] = {
            "cases": cases, "error_samples": spread([f[0] for f in found]), "wrong": len(wrong),
            "wrong_but_given": sum(f[3] for f in wrong), "given": sum(f[3] for f in found), "allowed_samples": allowed,
        }
    rng = np.random.default_rng(1)
    long = coloured(rng, 10 * RATE).astype(np.float32)
    times = []
    for _ in range(9):
        began = time.perf_counter()
        find_offset(long, long, 10 * RATE, WHITENING)
        times.append(time.perf_counter() - began)
    tell(what="offsets of two recordings", **out, two_of_ten_seconds_s=spread(times))


if __name__ == "__main__":
    main()
