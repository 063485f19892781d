"""Mending a run that a crash cut short: its files open, are equally long, and the journal ends."""

import zlib
from pathlib import Path

import numpy as np

from cattailer.core.sound.meters import BlockMeter
from cattailer.core.units import decibels
from cattailer.media import bwf, journal, overview, wavfile

CUT_SHORT = "The engine stopped in the middle of this run. What had reached the disk is here."


def overview_path(wave: Path) -> Path:
    """Where the overview of a file stands."""
    return wave.parent / "overview" / f"{wave.stem}.npz"


def mend_run(path: Path) -> journal.RunStory | None:
    """Ends the run of a journal that broke off; leaves live and ended ones alone.

    Returns the story, or None when the run is live or its journal says nothing. Files are cut to
    the shortest of them, so that tracks stay aligned; at most the last second is missing.
    """
    if journal.is_live(path):
        return None
    story = journal.read(path)
    if story is None or story.ended:
        return story
    found = [(path.parent / f.path) for f in story.header.files]
    infos = [wavfile.mend(p) for p in found if p.is_file() and p.stat().st_size > bwf.HEADER_BYTES]
    samples = min((i.frames for i in infos), default=0) if len(infos) == len(found) else 0
    ends = []
    for info in infos:
        _cut(info, samples)
        ends.append(measure(wavfile.inspect(info.path)))
    journal.append_end(path, samples, ends, CUT_SHORT)
    return journal.read(path)


def _cut(info: wavfile.WaveInfo, samples: int) -> None:
    if info.frames == samples:
        return
    with open(info.path, "r+b", buffering=0) as file:
        file.truncate(info.data_offset + samples * info.format.frame_bytes)
        bwf.write_sizes(file, samples, info.format, bwf.fact_offset(info.format))


def measure(info: wavfile.WaveInfo) -> journal.FileEnd:
    """Peak, clips and checksum of a file that is there, and its overview made again."""
    meter = BlockMeter(info.format.channels, info.format.bits)
    crc32 = 0
    builder = overview.OverviewBuilder(info.format.channels)
    step = overview.BUCKET * 1024
    with open(info.path, "rb") as file:
        file.seek(info.data_offset)
        left = info.frames * info.format.frame_bytes
        while left:
            data = file.read(min(left, 1 << 20))
            crc32 = zlib.crc32(data, crc32)
            left -= len(data)
    for at in range(0, info.frames, step):
        block = wavfile.read(info, at, step)
        meter.add(block)
        builder.add(block)
    target = overview_path(info.path)
    target.parent.mkdir(exist_ok=True)
    overview.save(target, builder.base())
    got = meter.take()
    peak = decibels(float(np.max(got.peak, initial=0.0)))
    return journal.FileEnd(info.path.name, round(peak, 2), int(got.clips.sum()), f"{crc32:08x}")
