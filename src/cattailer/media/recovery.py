"""Mending a run that a crash cut short: each file gets a header true to its own length, and the journal ends.

Nothing that sounds is ever cut or changed here. Headers are quick; peaks, checksums and overviews are worked out by
``measure``, when there is time.
"""

from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from cattailer.core.sound.meters import MOST_CLIPS, BlockMeter
from cattailer.core.takes.importing import IMPORTED
from cattailer.core.units import decibels
from cattailer.core.wording import counted
from cattailer.media import bwf, journal, overview, wavfile
from cattailer.media.disk import REAL, write_all
from cattailer.media.journal import LEAD_IN_FOLDER, FileEnd, RunFile, RunStory, Unreadable
from cattailer.media.runfile import format_of, origin_of

CUT_SHORT = "The engine stopped in the middle of this run. What had reached the disk is here."
UNMEASURED_DBFS = -200.0
"""The peak of a file that nobody has measured yet; its checksum is empty."""


@dataclass(frozen=True)
class Kept:
    """A file of a run: how many samples are in it now, and what was done or is wrong, in words."""

    path: Path
    samples: int
    says: str = ""


@dataclass(frozen=True)
class Mended:
    """A run whose journal broke off; ``story`` has ended by now."""

    story: RunStory
    files: list[Kept]


@dataclass(frozen=True)
class Trouble:
    """A journal or file that cannot be used, and why; it was left as it is."""

    path: Path
    says: str


@dataclass
class Report:
    """What was mended, and what cannot be."""

    mended: list[Mended] = field(default_factory=list)
    troubles: list[Trouble] = field(default_factory=list)
    taken_away: list[RunStory] = field(default_factory=list)
    """Runs in which nothing was captured, or that were being imported."""

    @property
    def emptied(self) -> int:
        return len(self.taken_away)


def mend_all(media: Path, known: Callable[[Path], bool] = lambda _: False) -> Report:
    """Mends every run below a folder that broke off. What is wrong with one is no matter to the others; journals that
    are ``known`` to have ended are not read."""
    report = Report()
    for path in journal.find_all(media):
        if known(path):
            continue
        try:
            mended = mend_run(path)
        except FileNotFoundError:  # taken away with the run that it belongs to
            continue
        except (Unreadable, OSError, ValueError) as why:
            report.troubles.append(Trouble(path, _words(why)))
            continue
        if mended is None:
            continue
        if mended.story.samples:
            report.mended.append(mended)
            report.troubles += [Trouble(k.path, k.says) for k in mended.files if not k.samples and k.says]
        else:
            report.taken_away.append(mended.story)
    return report


def look(media: Path) -> list[Trouble]:
    """What cannot be used below a folder: journals that cannot be read, and files of ended runs that are not there, or
    cannot be opened. Nothing is changed."""
    out = []
    for path in journal.find_all(media):
        try:
            story = journal.read(path)
        except (Unreadable, OSError) as why:
            out.append(Trouble(path, _words(why)))
            continue
        for end in story.files if story.ended else ():
            try:
                wavfile.inspect(story.folder / end.path)
            except (OSError, ValueError) as why:
                out.append(Trouble(story.folder / end.path, _words(why)))
    return out


def mend_run(path: Path) -> Mended | None:
    """Ends the run of a journal that broke off; leaves live and ended ones alone, and answers None for them.

    A run in which nothing was captured yet is taken away, with what was counted in before it; so is one that was being
    imported, for the file that it comes from is somewhere else. Raises Unreadable and
    OSError.
    """
    if journal.glance(path)[1] or journal.is_live(path):
        return None
    story = journal.read(path)
    if story.ended:
        return None
    if story.header.note == IMPORTED and story.whole is None:
        _take_away(story, sound=True)
        return Mended(story, [])
    kept = [_mend_file(story, file) for file in story.header.files]
    _forget_reserve(story)
    longest = max((k.samples for k in kept), default=0)
    if not longest and not story.samples:
        _take_away(story)
        return Mended(story, kept)
    ends = [
        FileEnd(file.path, UNMEASURED_DBFS, 0, "", found.samples)
        for file, found in zip(story.header.files, kept, strict=True) if found.samples
    ]
    journal.append_end(path, longest, ends, _message(story, kept, longest))
    return Mended(journal.read(path), kept)


def _mend_file(story: RunStory, file: RunFile) -> Kept:
    path = story.folder / file.path
    if not path.is_file():
        return Kept(path, 0, "is not there")
    try:
        before = path.stat().st_size
        try:
            info = wavfile.mend(path, story.whole)
        except wavfile.NotAWave:
            if not _headless(path):
                return Kept(path, 0, "is no sound file that can be read; it was left as it is")
            _write_header(story, file, path)
            return Kept(path, wavfile.mend(path, story.whole).frames, "its header was lost and was written anew")
        return Kept(path, info.frames, "its header was made true" if path.stat().st_size != before else "")
    except (OSError, ValueError) as why:
        return Kept(path, 0, f"could not be read or mended ({_words(why)})")


def _headless(path: Path) -> bool:
    """Whether this is one of our files whose header never reached the disk: nothing stands there."""
    with open(path, "rb") as file:
        return not any(file.read(12))


def _write_header(story: RunStory, file: RunFile, path: Path) -> None:
    """Writes the header that the file was begun with."""
    opened = REAL.append(path)
    try:
        write_all(opened, bwf.header(origin_of(story.header, file), format_of(story.header, file)), 0)
        opened.sync()
    finally:
        opened.close()


def _message(story: RunStory, kept: list[Kept], longest: int) -> str:
    """What a person should know: which files are missing, and which end earlier than the longest."""
    rate = story.header.rate_hz
    says = [f"{k.path.name} {k.says}" for k in kept if not k.samples and k.says]
    says += [
        f"{k.path.name} ends {(longest - k.samples) / rate:.2f} s earlier" for k in kept if 0 < k.samples < longest
    ]
    if len(says) > 4:
        says = [*says[:4], f"so it is with {counted(len(says) - 4, 'more file')}"]
    return " ".join([CUT_SHORT, *([f"But {'; '.join(says)}."] if says else [])])


def _forget_reserve(story: RunStory) -> None:
    with suppress(OSError):
        reserve_path(story.path).unlink(missing_ok=True)


def reserve_path(journal_path: Path) -> Path:
    """Where a run keeps some room for its own end."""
    return journal_path.with_name(f".{journal_path.name.removesuffix(journal.SUFFIX)}.reserve")


def _take_away(story: RunStory, sound: bool = False) -> None:
    """Takes away files that hold no sample, and what was counted in before them: nothing was captured. With ``sound``
    all files of the run."""
    lead_in = story.folder / LEAD_IN_FOLDER / story.path.name
    if not story.header.lead_in_of and lead_in.is_file():
        with suppress(Unreadable, OSError):
            before = journal.read(lead_in)
            if before.header.lead_in_of == story.header.run:
                _take_away(before)
    with suppress(OSError):
        _forget_reserve(story)
        for file in story.header.files:
            wave = story.folder / file.path
            if sound or story.header.lead_in_of or (wave.is_file() and wave.stat().st_size <= bwf.HEADER_BYTES):
                wave.unlink(missing_ok=True)
            overview.remove(wave)
        story.path.unlink(missing_ok=True)
        for folder in (story.folder / "overview", story.folder):
            if folder.is_dir() and not any(folder.iterdir()):
                folder.rmdir()


def measure(info: wavfile.WaveInfo) -> FileEnd:
    """Peak, clips and checksum of a file that is there, and its overview made again where the disk takes it.
    Raises OSError."""
    meter, clips_at = BlockMeter(info.format.channels, info.format.bits), list[int]()
    crc32 = wavfile.checksum(info)
    step = overview.BUCKET * 1024
    for at in range(0, info.frames, step):
        meter.add(wavfile.read(info, at, step))
        clips_at += [at + sample for _, sample in meter.fresh]
    with suppress(OSError):
        overview.make(info, overview.overview_path(info.path))
    got = meter.take()
    peak = decibels(float(np.max(got.peak, initial=0.0)))
    count, first = int(got.clips.sum()), tuple(clips_at[:MOST_CLIPS])
    return FileEnd(info.path.name, round(peak, 2), count, crc32, info.frames, first)


def _words(why: Exception) -> str:
    return why.strerror or str(why) if isinstance(why, OSError) else str(why)
