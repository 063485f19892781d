"""Files from elsewhere: whole ones in all that they hold, others with what they promise and what is there."""

from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cattailer.core.errors import NotNow, Refusal
from cattailer.media import promises
from cattailer.media.soundfiles import Unkept, is_sound, opened

RATE = 44_100
KINDS = {
    "a.wav": {"subtype": "PCM_16"}, "b.wav": {"subtype": "IMA_ADPCM"}, "c.wav": {"format": "RF64", "subtype": "FLOAT"},
    "d.w64": {}, "e.aiff": {"subtype": "PCM_24"}, "f.caf": {"subtype": "PCM_24"}, "g.flac": {}, "h.ogg": {},
    "i.opus": {"format": "OGG", "subtype": "OPUS"},
    "j.mp3": {"format": "MP3", "bitrate_mode": "VARIABLE", "compression_level": 0.5},
}


def noise(seconds: float, channels: int = 2, rate_hz: int = RATE) -> np.ndarray:
    return np.random.default_rng(1).uniform(-0.7, 0.7, (round(rate_hz * seconds), channels))


def written(path: Path, sound: np.ndarray, rate_hz: int = RATE) -> Path:
    rate_hz = 48_000 if path.suffix == ".opus" else rate_hz
    options = KINDS.get(path.name, {})
    with soundfile.SoundFile(path, "w", rate_hz, sound.shape[1], **options) as file:
        for at in range(0, len(sound), 4096):
            file.write(sound[at : at + 4096])
    return path


def read(path: Path, partly: bool = False) -> np.ndarray:
    assert is_sound(path.read_bytes()[:16])
    with opened(path, partly=partly) as sound:
        return np.concatenate([block.copy() for block in sound.blocks(10_000)], axis=1)


@pytest.mark.parametrize("name", KINDS)
def test_whole_files_are_whole_and_halves_say_so(tmp_path: Path, name: str) -> None:
    sound = noise(6.0)
    got = read(written(tmp_path / name, sound))
    lossy = name[0] in "bhij"
    assert abs(got.shape[1] - len(sound)) <= (RATE // 10 if lossy else 0)
    if not lossy:
        assert np.abs(got.T - sound).max() < 2 / 32_768
    half = tmp_path / f"half-{name}"
    data = (tmp_path / name).read_bytes()
    half.write_bytes(data[: len(data) // 2])
    with pytest.raises(Unkept, match="breaks off" if name[0] in "hi" else r"promises 6\.0 s, but [2-4]"):
        read(half)
    there = read(half, partly=True)
    assert there.shape[1] == pytest.approx(len(sound) / 2, rel=0.35)
    if not lossy:
        assert np.array_equal(there, got[:, : there.shape[1]])


@pytest.mark.parametrize(("rate_hz", "channels"), [(44100, 2), (48000, 1), (22050, 1)])
def test_a_variable_bit_rate_without_a_length_is_read_to_its_end(tmp_path: Path, rate_hz: int, channels: int) -> None:
    # Silence first, so that a length guessed from the first bit rates is far off.
    loud = noise(20.0, channels, rate_hz)
    loud[: rate_hz * 2] = 0.0
    path = written(tmp_path / "j.mp3", loud, rate_hz)
    data = path.read_bytes()
    first = promises.mp3_frame_bytes(data[:4])
    assert b"Xing" in data[:first] or b"Info" in data[:first]
    path.write_bytes(data[first:])
    got = read(path)
    assert abs(got.shape[1] - len(loud)) <= 3 * 1152
    assert np.sqrt(np.mean(got[:, -2 * rate_hz : -rate_hz] ** 2)) > 0.2, "its end is there"


@pytest.mark.parametrize("size", [0, 0xFFFFFFFF, 0x7FFFF000])
def test_a_streamed_wav_is_whole(tmp_path: Path, size: int) -> None:
    path = written(tmp_path / "a.wav", noise(3.0))
    data = bytearray(path.read_bytes())
    at = data.index(b"data") + 4
    whole = read(path)
    data[at : at + 4] = size.to_bytes(4, "little")
    path.write_bytes(data)
    assert np.array_equal(read(path), whole)


def test_a_streamed_flac_is_whole_and_a_damaged_one_keeps_its_place(tmp_path: Path) -> None:
    path = written(tmp_path / "g.flac", noise(6.0))
    whole, data = read(path), bytearray(path.read_bytes())
    data[21] &= 0xF0  # the number of samples in STREAMINFO: 36 bits
    data[22:26] = bytes(4)
    path.write_bytes(data)
    assert np.array_equal(read(path), whole)
    data[len(data) // 2 : len(data) // 2 + 40] = bytes(40)
    path.write_bytes(data)
    with pytest.raises(Unkept, match=r"is damaged: \d frames? of it cannot be read"):
        read(path)
    got = read(path, partly=True)
    assert got.shape == whole.shape
    differs = np.flatnonzero((got != whole).any(axis=0))
    assert 0 < len(differs) <= 3 * 4608, "a frame is silent, and the rest is where it was"


def test_ogg_files_that_hang_together_are_one(tmp_path: Path) -> None:
    path = written(tmp_path / "h.ogg", noise(3.0))
    path.write_bytes(path.read_bytes() + written(tmp_path / "h.ogg", noise(2.0)).read_bytes())
    assert read(path).shape[1] == pytest.approx(RATE * 5, abs=RATE // 5)
    path.write_bytes(path.read_bytes() + written(tmp_path / "h.ogg", noise(2.0, 1)).read_bytes())
    assert read(path).shape[1] == pytest.approx(RATE * 7, abs=RATE // 5)


def test_without_a_decoder_it_is_said(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = written(tmp_path / "g.flac", noise(1.0))
    monkeypatch.setenv("PATH", str(tmp_path))
    with pytest.raises(NotNow, match="ffmpeg, which is missing"):
        read(path)


def test_more_than_was_promised_is_said(tmp_path: Path) -> None:
    path = written(tmp_path / "a.wav", noise(4.0))
    data = bytearray(path.read_bytes())
    at = data.index(b"data") + 4
    data[at : at + 4] = (RATE * 4).to_bytes(4, "little")
    path.write_bytes(data)
    with pytest.raises(Unkept, match=r"promises 1\.0 s, but 4\.0 s are there"):
        read(path)
    assert read(path, partly=True).shape[1] == RATE * 4


@pytest.fixture(scope="module")
def whole(tmp_path_factory: pytest.TempPathFactory) -> dict[str, bytes]:
    folder = tmp_path_factory.mktemp("whole")
    return {name: written(folder / name, noise(1.5)).read_bytes() for name in KINDS}


@given(st.sampled_from(sorted(KINDS)), st.floats(0.0, 1.0), st.booleans())
@settings(max_examples=30, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_whatever_is_missing_or_wrong_ends_in_a_sentence(
    tmp_path: Path, whole: dict[str, bytes], name: str, where: float, cut: bool
) -> None:
    data = bytearray(whole[name])
    at = round(where * (len(data) - 1))
    if cut:
        del data[at:]
    else:
        data[at : at + 8] = b"\xaa" * 8
    (tmp_path / name).write_bytes(data)
    for partly in (False, True):
        said = ""
        try:
            with opened(tmp_path / name, partly=partly) as sound:
                got = sum(block.shape[1] for block in sound.blocks())
        except Refusal as why:
            said = why.message
        assert partly or said or got >= RATE, "a file that says nothing has all of its sound"
        assert not said or (said.startswith(name) and said.endswith("."))
