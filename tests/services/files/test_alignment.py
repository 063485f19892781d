"""Offsets between files, and what drivers say of their latency."""

from pathlib import Path

import numpy as np
import pytest
import soundfile

from cattailer.core.errors import Refusal
from cattailer.services.desk import latencies
from cattailer.services.files import alignment


def test_files_are_aligned_and_latencies_told(tmp_path: Path) -> None:
    rng = np.random.default_rng(1)
    a = rng.standard_normal(96_000) * 0.1
    b = -np.concatenate([np.zeros(480), a])[:96_000] + rng.standard_normal(96_000) * 0.01
    soundfile.write(tmp_path / "a.wav", np.stack([np.zeros(96_000), a], 1), 48000, subtype="PCM_24")
    soundfile.write(tmp_path / "b.flac", b, 48000, subtype="PCM_24")
    soundfile.write(tmp_path / "c.wav", b, 44100)
    soundfile.write(tmp_path / "silent.wav", 0 * b, 48000)
    found = alignment.align_files(tmp_path / "a.wav", tmp_path / "b.flac")
    assert found["offset_samples"] == pytest.approx(480, abs=0.02)
    assert found["offset_ms"] == pytest.approx(10.0, abs=0.001)
    assert (found["inverted"], found["confidence"]) == (True, 1.0)
    assert alignment.align_files(tmp_path / "b.flac", tmp_path / "a.wav")["offset_samples"] == pytest.approx(-480, abs=0.02)
    for one, other, words in (("a.wav", "c.wav", "Convert one"), ("a.wav", "silent.wav", "is silent"), ("a.wav", "gone.wav", "no file")):
        with pytest.raises(Refusal, match=words):
            alignment.align_files(tmp_path / one, tmp_path / other)
    told = latencies.latencies("Marshgate 16", 48000, None)
    assert told["buffers"][2] == {"buffer": 128, "input_samples": 167, "output_samples": 165, "round_trip_samples": 332, "round_trip_ms": 6.917}
    for device, rate, words in (("nothing", 48000, "No interface"), ("marshgate-2", 96000, "does not run")):
        with pytest.raises(Refusal, match=words):
            latencies.latencies(device, rate, None)
