"""Files measured."""

from pathlib import Path

import numpy as np
import pytest
import soundfile

from cattailer.core.errors import Refusal
from cattailer.services.files import metering


def test_files_are_measured_with_errors_in_words(tmp_path: Path) -> None:
    folder = tmp_path
    sine = 0.5 * np.sin(2 * np.pi * 997 * np.arange(96_000) / 48000)
    soundfile.write(folder / "a.flac", np.stack([sine, 0 * sine], 1), 48000, subtype="PCM_24")
    found = metering.measure_file(folder / "a.flac")
    assert found["channels"][0]["peak_dbfs"] == pytest.approx(-6.02, abs=0.01)
    assert found["channels"][1] == {"peak_dbfs": None, "true_peak_dbtp": None, "rms_dbfs": None, "noise_floor_dbfs": None, "dc": 0.0, "clips": 0}
    soundfile.write(folder / "b.wav", sine, 48000, subtype="PCM_24")
    whole = (folder / "b.wav").read_bytes()
    soundfile.write(folder / "none.wav", sine[:0], 48000)
    for name, data, why in (("cut.wav", whole[:5000], "cut short"), ("empty.wav", b"", "is empty"), ("text.wav", b"no sound here", "not a sound file"),
                            ("none.wav", None, "holds no sound"), ("gone.wav", False, "no file called")):
        if isinstance(data, bytes):
            (folder / name).write_bytes(data)
        with pytest.raises(Refusal, match=why):
            metering.measure_file(folder / name)
    with pytest.raises(Refusal, match="not a file"):
        metering.measure_file(folder)
