"""Overviews: written while the sound arrives, drawn by reading only what is drawn."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.media import bwf, overview
from tests.helpers.plans import ORIGIN


def _sound(channels: int, count: int, seed: int = 1) -> np.ndarray:
    return np.random.default_rng(seed).uniform(-1, 1, (channels, count)).astype(np.float32)


@given(st.lists(st.integers(1, 60_000), min_size=1, max_size=6), st.integers(0, 2**31), st.integers(1, 2))
def test_an_overview_does_not_depend_on_blocks(
    tmp_path_factory: pytest.TempPathFactory, sizes: list[int], seed: int, channels: int
) -> None:
    folder = tmp_path_factory.mktemp("o")
    block = _sound(channels, sum(sizes), seed)
    parts, writer = overview.OverviewBuilder(channels), overview.OverviewWriter(folder / "a.npy", channels)
    at = 0
    for size in sizes:
        writer.add(parts.add(block[:, at : at + size]))
        writer.flush()
        at += size
    writer.add(parts.rest())
    writer.flush(last=True)
    found = overview.load(folder / "a.npy")
    buckets = -(-block.shape[1] // overview.BUCKET)
    assert found.fine.shape == (buckets, channels, 2)
    assert found.coarse.shape == (-(-buckets // overview.COARSE), channels, 2)
    for n in range(buckets):
        part = block[:, n * 256 : (n + 1) * 256]
        assert found.fine[n, :, 0].tolist() == np.rint(part.min(axis=1) * 32767).astype(int).tolist()
        assert found.fine[n, :, 1].tolist() == np.rint(part.max(axis=1) * 32767).astype(int).tolist()
    for n in range(len(found.coarse)):
        part = found.fine[n * overview.COARSE : (n + 1) * overview.COARSE]
        assert np.array_equal(found.coarse[n, :, 0], part[:, :, 0].min(axis=0))
        assert np.array_equal(found.coarse[n, :, 1], part[:, :, 1].max(axis=0))


@pytest.mark.parametrize("content", [None, b"", b"garbage", b"\x93NUMPY\x01\x00"])
def test_a_broken_overview_is_made_again(tmp_path: Path, content: bytes | None) -> None:
    writer = bwf.BwfWriter(tmp_path / "a.wav", bwf.Format(48000, 1, 24), ORIGIN)
    writer.write(_sound(1, 5000))
    writer.close()
    stored = overview.overview_path(writer.path)
    assert overview.of_wave(writer.path) is not None
    stored.unlink()
    if content is not None:
        stored.write_bytes(content)
    found = overview.of_wave(writer.path)
    assert found is not None
    assert len(found.fine) == 20
    writer.path.write_bytes(b"no sound")
    stored.unlink()
    assert overview.of_wave(writer.path) is None
