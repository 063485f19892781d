import json
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
import soundfile
from hypothesis import given
from hypothesis import strategies as st

from cattailer.media import bwf, convert, journal, overview, pcm, profile_toml, recovery, wavfile
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


@pytest.mark.parametrize("content", [b"", b"RIFF", b"not a wave at all" * 10, b"RIFF\0\0\0\0WAVE", b"RIFF\0\0\0\0WAVEfmt "])
def test_what_is_no_wave_is_told(tmp_path: Path, content: bytes) -> None:
    (tmp_path / "a.wav").write_bytes(content)
    with pytest.raises((wavfile.NotAWave, ValueError)):
        wavfile.inspect(tmp_path / "a.wav")


@given(st.lists(st.integers(1, 900), min_size=1, max_size=6), st.integers(0, 2**31))
def test_an_overview_does_not_depend_on_blocks(sizes: list[int], seed: int) -> None:
    block = words(2, sum(sizes), seed=seed)
    parts, whole = overview.OverviewBuilder(2), overview.OverviewBuilder(2)
    at = 0
    for size in sizes:
        parts.add(block[:, at : at + size])
        at += size
    whole.add(block)
    assert np.array_equal(parts.base(), whole.base())
    first = whole.base()[0, 0]
    assert first[0] == pytest.approx(float(block[0, :256].min()) * 32767, abs=0.51)
    assert first[1] == pytest.approx(float(block[0, :256].max()) * 32767, abs=0.51)


def test_an_overview_window_shows_every_peak(tmp_path: Path) -> None:
    sound = np.zeros((1, 48000 * 20), np.float32)
    sound[0, 480_123] = 0.75
    builder = overview.OverviewBuilder(1)
    builder.add(sound)
    overview.save(tmp_path / "a.npz", builder.base())
    levels = overview.load(tmp_path / "a.npz")
    assert len(levels) > 2
    for columns in (10, 333, 2000):
        drawn = overview.window(levels, 0, 48000 * 20, columns)
        assert drawn[:, 1].max() == round(0.75 * 32767)
        assert abs(int(drawn[:, 1].argmax()) - 480_123 * columns / (48000 * 20)) <= 2 + 4096 * columns / 960_000
    assert not overview.window(levels, 48000 * 30, 48000 * 40, 50).any()


def _header(files: int = 2) -> journal.RunHeader:
    return journal.RunHeader("u-1", 1, 1, "Ferry", 48000, 24, 0, "2026-05-04T14:02:31+00:00", tuple(
        journal.RunFile(n, f"t{n}", f"t{n}.wav", 1, (n,)) for n in range(files)
    ))


def test_a_run_that_broke_off_is_mended_to_equal_lengths(tmp_path: Path) -> None:
    log = journal.JournalWriter(tmp_path / f"run{journal.SUFFIX}", _header())
    block = words(1, 5000)
    for n, length in ((0, 5000), (1, 4700)):
        writer = bwf.BwfWriter(tmp_path / f"t{n}.wav", bwf.Format(48000, 1, 24), ORIGIN)
        writer.write(block[:, :length])
    log.synced(3000)
    log.dropout(journal.Dropout(100, 64))
    with open(log.path, "a") as file:
        file.write('{"kind": "syn')
    assert recovery.mend_run(log.path) is None  # its writer is alive
    log.close()
    story = recovery.mend_run(log.path)
    assert story is not None
    assert (story.samples, story.ended, story.recovered) == (4700, True, True)
    assert story.dropouts == [journal.Dropout(100, 64)]
    for n in range(2):
        info = wavfile.inspect(tmp_path / f"t{n}.wav")
        assert np.array_equal(wavfile.read(info), block[:, :4700])
        assert recovery.overview_path(info.path).is_file()
    again = recovery.mend_run(log.path)
    assert again is not None
    assert again.samples == 4700


def test_a_journal_without_a_first_line_says_nothing(tmp_path: Path) -> None:
    path = tmp_path / f"x{journal.SUFFIX}"
    path.write_text("garbage\n[1,2]\n")
    assert recovery.mend_run(path) is None


def test_profiles_name_what_is_wrong(tmp_path: Path) -> None:
    assert set(profile_toml.shipped()) == {"marshgate-16", "marshgate-2"}
    text = (profile_toml.SHIPPED / "marshgate-2.toml").read_text()
    bad = tmp_path / "bad.toml"
    bad.write_text(text.replace("safety = 24", ""))
    with pytest.raises(ValueError, match="safety"):
        profile_toml.load(bad)
    bad.write_text(text + "\nwheels = 4\n")
    with pytest.raises(ValueError, match="wheels"):
        profile_toml.load(bad)


@pytest.mark.parametrize(("old", "new", "bits"), [(48_000, 96_000, 24), (48_000, 44_100, 24), (96_000, 48_000, 32), (44_100, 48_000, 16)])
def test_a_converted_file_is_the_same_sound_at_the_same_moment(tmp_path: Path, old: int, new: int, bits: int) -> None:
    t = np.arange(3 * old) / old
    sound = np.stack([0.5 * np.sin(2 * np.pi * 997.0 * t), 0.25 * np.sin(2 * np.pi * 5003.0 * t)]).astype(np.float32)
    made = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(old, 2, bits), ORIGIN)
    made.write(sound)
    made.close()
    told: list[int] = []
    origin = replace(ORIGIN, start=new)
    length, crc32 = convert.convert(
        wavfile.inspect(tmp_path / "a.wav"), tmp_path / "b.wav", new, origin, lambda n: not told.append(n)
    )
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


def test_the_words_on_disk_stay(tmp_path: Path) -> None:
    """A journal says ``head_of``, as the first ones did, though the code calls it a lead-in."""
    path = tmp_path / f"run{journal.SUFFIX}"
    log = journal.JournalWriter(path, replace(_header(), lead_in_of="u-0"))
    log.close()
    line = json.loads(path.read_text().splitlines()[0])
    assert line["head_of"] == "u-0"
    assert "lead_in_of" not in line
    story = journal.read(path)
    assert story is not None
    assert story.header.lead_in_of == "u-0"
