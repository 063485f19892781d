"""MP3 files that do not say how long they are."""

from pathlib import Path

import numpy as np
import pytest
import soundfile

from cattailer.media import mp3
from cattailer.media.soundfiles import is_sound, opened


@pytest.mark.parametrize(("rate_hz", "channels"), [(44100, 2), (48000, 1), (22050, 1)])
def test_a_variable_bit_rate_without_a_length_is_read_to_its_end(tmp_path: Path, rate_hz: int, channels: int) -> None:
    # Silence first, so that a length guessed from the first bit rates is far off.
    loud = np.random.default_rng(1).uniform(-0.7, 0.7, (rate_hz * 20, channels))
    loud[: rate_hz * 2] = 0.0
    path = tmp_path / "a.mp3"
    with soundfile.SoundFile(path, "w", rate_hz, channels, format="MP3", bitrate_mode="VARIABLE", compression_level=0.5) as file:
        file.write(loud)
    data = path.read_bytes()
    first = mp3.frame_bytes(data[:4])
    assert b"Xing" in data[:first] or b"Info" in data[:first]
    path.write_bytes(data[first:])
    assert is_sound(path.read_bytes()[:16])
    with opened(path) as sound:
        got = np.concatenate([block.copy() for block in sound.blocks()], axis=1)
    assert abs(got.shape[1] - len(loud)) <= 3 * 1152
    assert np.sqrt(np.mean(got[:, -2 * rate_hz : -rate_hz] ** 2)) > 0.2, "its end is there"
