import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from cattailer.media import bwf, convert, pcm, wavfile
from tests.helpers.plans import ORIGIN


def words(channels: int, count: int, bits: int = 24, seed: int = 1) -> np.ndarray:
    top = 2 ** (min(bits, 24) - 1)
    return (np.random.default_rng(seed).integers(-top, top, (channels, count)) / top).astype(np.float32)


@given(st.integers(0, 2**31), st.sampled_from([16, 24, 32]), st.integers(1, 2), st.integers(0, 70))
def test_words_come_back_exactly(seed: int, bits: int, channels: int, count: int) -> None:
    block = words(channels, count, bits, seed)
    assert np.array_equal(pcm.unpack(pcm.pack(block, bits), channels, bits), block)


def test_beyond_full_scale_is_held() -> None:
    got = pcm.unpack(pcm.pack(np.array([[1.5, -1.5]], np.float32), 24), 1, 24)
    assert got.tolist() == [[1 - 2**-23, -1.0]]


def test_16_bit_is_dithered_without_bias() -> None:
    quiet = np.full((1, 200_000), 0.3 / 32768, np.float32)
    got = pcm.unpack(pcm.pack(quiet, 16, np.random.default_rng(1)), 1, 16)
    assert got.mean() * 32768 == pytest.approx(0.3, abs=0.02)


@pytest.mark.parametrize("bits", [16, 24, 32])
@pytest.mark.parametrize("channels", [1, 2])
def test_files_open_elsewhere_and_say_where_they_belong(tmp_path: Path, bits: int, channels: int) -> None:
    block = words(channels, 1001, bits)
    writer = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(48000, channels, bits), ORIGIN)
    writer.write(block[:, :400])
    writer.write(block[:, 400:])
    writer.close([bwf.Marker(500, "dropout, 64 samples")])
    read, rate = soundfile.read(str(writer.path), dtype="float32", always_2d=True)
    assert rate == 48000
    assert np.abs(read.T - block).max() <= (2 / 32768 if bits == 16 else 0)
    info = wavfile.inspect(writer.path)
    assert (info.frames, info.start, info.rf64, info.cut_short) == (1001, 123_456, False, False)
    assert info.markers == (bwf.Marker(500, "dropout, 64 samples"),)
    assert info.track_names[0].startswith("Cello <near>")
    assert np.array_equal(wavfile.read(info, 990, 100), read.T[:, 990:])


def test_a_file_is_never_overwritten(tmp_path: Path) -> None:
    path = tmp_path / "a.wav"
    path.write_bytes(b"precious")
    with pytest.raises(FileExistsError):
        bwf.BwfWriter(path, bwf.Format(48000, 1, 24), ORIGIN)
    assert path.read_bytes() == b"precious"


@pytest.mark.parametrize("bits", [24, 32])
def test_growth_past_4_gib_becomes_rf64(tmp_path: Path, bits: int) -> None:
    """The stretch of silence is a hole in the file, so that the test needs no space."""
    block = words(1, 999)
    writer = bwf.BwfWriter(tmp_path / "big.wav", bwf.Format(96000, 1, bits), ORIGIN)
    writer.write(block)
    writer.refresh(sync=False)
    assert not wavfile.inspect(writer.path).rf64
    writer.write_silence(1_500_000_000)
    writer.refresh(sync=False)
    assert wavfile.inspect(writer.path).frames == 1_500_000_999
    writer.write(block)
    writer.close([bwf.Marker(7, "x")])
    info = wavfile.inspect(writer.path)
    assert info.rf64
    assert info.frames == 1_500_001_998
    assert np.array_equal(wavfile.read(info, 1_500_000_999), block)
    with soundfile.SoundFile(str(writer.path)) as other:
        assert (other.format, other.frames) == ("RF64", 1_500_001_998)
        other.seek(1_500_000_999)
        assert np.array_equal(other.read(dtype="float32"), block[0])
    writer.path.unlink()


@pytest.mark.parametrize("extra", [0, 1, 2, 3, 4])
def test_a_file_cut_short_opens_and_is_mended(tmp_path: Path, extra: int) -> None:
    block = words(1, 500)
    writer = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(48000, 1, 24), ORIGIN)
    writer.write(block[:, :300])
    writer.refresh()
    writer.write(block[:, 300:])
    with open(writer.path, "ab") as file:  # a frame that was half written when the power went
        file.write(b"x" * extra)
    assert soundfile.info(str(writer.path)).frames >= 300
    info = wavfile.mend(writer.path)
    assert info.frames == 500 + extra // 3
    assert np.array_equal(wavfile.read(info, 0, 500), block)
    assert soundfile.info(str(writer.path)).frames == info.frames
    assert wavfile.mend(writer.path) == info


def test_a_file_whose_sizes_fit_is_left_alone(tmp_path: Path) -> None:
    """What follows the sound, markers here, never becomes sound."""
    writer = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(48000, 1, 24), ORIGIN)
    writer.write(words(1, 501))
    writer.close([bwf.Marker(7, "dropout, 64 samples")])
    before = writer.path.read_bytes()
    assert wavfile.mend(writer.path).frames == 501
    assert writer.path.read_bytes() == before


def test_names_that_are_too_long_for_a_header_are_shortened(tmp_path: Path) -> None:
    long = "&" * 80 + "é" * 400
    origin = bwf.Origin(long, long, 5, ORIGIN.recorded_at, long, (1, 2), long, long)
    writer = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(48000, 2, 24), origin)
    writer.write(words(2, 100))
    writer.close()
    info = wavfile.inspect(writer.path)
    assert (info.frames, info.start) == (100, 5)
    assert info.track_names[0].startswith("&&&&&")
    assert soundfile.info(str(writer.path)).frames == 100


@pytest.mark.parametrize("content", [b"", b"RIFF", b"not a wave at all" * 10, b"RIFF\0\0\0\0WAVE", b"RIFF\0\0\0\0WAVEfmt "])
def test_what_is_no_wave_is_told(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "a.wav").write_bytes(content)
    with pytest.raises((wavfile.NotAWave, ValueError)):
        wavfile.inspect(tmp_path / "a.wav")


@pytest.mark.parametrize(("old", "new", "bits"), [(48_000, 96_000, 24), (48_000, 44_100, 24), (96_000, 48_000, 32), (44_100, 48_000, 16)])
def test_a_converted_file_is_the_same_sound_at_the_same_moment(tmp_path: Path, old: int, new: int, bits: int) -> None:
    t = np.arange(3 * old) / old
    sound = np.stack([0.5 * np.sin(2 * np.pi * 997.0 * t), 0.25 * np.sin(2 * np.pi * 5003.0 * t)]).astype(np.float32)
    made = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(old, 2, bits), ORIGIN)
    made.write(sound)
    made.close()
    told: list[int] = []
    origin = replace(ORIGIN, start=new)
    made = convert.convert(
        wavfile.inspect(tmp_path / "a.wav"), tmp_path / "b.wav", new, origin, lambda n: not told.append(n)
    )
    length, crc32 = made.samples, made.crc32
    info = wavfile.inspect(tmp_path / "b.wav")
    assert (info.frames, info.format, info.start) == (length, bwf.Format(new, 2, bits), new)
    assert length == 3 * new
    assert told[-1] == 3 * old
    again = wavfile.read(info)
    assert crc32 == f"{zlib.crc32(pcm.pack(again, bits)):08x}" or bits == 16
    u = np.arange(length) / new
    expected = np.stack([0.5 * np.sin(2 * np.pi * 997.0 * u), 0.25 * np.sin(2 * np.pi * 5003.0 * u)])
    inside = slice(new // 10, -new // 10)
    worst = np.abs(again - expected)[:, inside].max()
    assert worst < (1e-4 if bits == 16 else 2e-6)
    with pytest.raises(convert.Stopped):
        convert.convert(info, tmp_path / "c.wav", old, origin, lambda _: False)
    assert not (tmp_path / "c.wav").exists()
    with pytest.raises(FileExistsError):
        convert.convert(info, tmp_path / "a.wav", old, origin, lambda _: True)
    assert (tmp_path / "a.wav").exists()


def test_what_goes_over_full_scale_between_samples_is_kept_as_float(tmp_path: Path) -> None:
    square = np.repeat(np.where(np.arange(4000) % 2 == 0, 0.999, -0.999), 24)[None].astype(np.float32)
    made = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(48_000, 1, 24), ORIGIN)
    made.write(square)
    made.close()
    found = convert.convert(wavfile.inspect(tmp_path / "a.wav"), tmp_path / "b.wav", 44_100, ORIGIN, lambda _: True)
    assert found.over_db > 0.5
    info = wavfile.inspect(tmp_path / "b.wav")
    assert info.format.bits == 32
    assert np.abs(wavfile.read(info)).max() > 1.05, "nothing is cut off"
