"""The files of a run: opened together, or not at all."""

from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

from cattailer.media import bwf, journal
from cattailer.media.disk import Disk, write_all
from cattailer.media.overview import OverviewWriter, overview_path
from cattailer.media.recovery import reserve_path
from cattailer.media.runfile import format_of, origin_of

_RESERVE_BYTES, _RESERVE_A_FILE = 1 << 16, 1 << 14
"""Room that is kept for the journal's end and for what follows the sound in each file."""


@dataclass
class TrackFile:
    """One file being written, and the rows of the run's block that belong to it."""

    file: journal.RunFile
    writer: bwf.BwfWriter
    overview: OverviewWriter
    rows: slice
    crc32: int = 0


class RunFiles:
    """Journal, reserve, sound files and overviews.

    Raises OSError or FileExistsError from the constructor when they cannot be made; none is left behind then. The
    folder that the run's folder lies in is made, but not the one around it: a media folder that is gone is never made
    again.
    """

    def __init__(self, folder: Path, stem: str, header: journal.RunHeader, disk: Disk) -> None:
        self.folder, self.stem = folder, stem
        self._header, self._disk = header, disk
        self.tracks: list[TrackFile] = []
        self.path = folder / f"{stem}{journal.SUFFIX}"
        disk.make_folder(folder.parent)
        disk.make_folder(folder)
        self.journal: journal.JournalWriter | None = None
        self._reserve = reserve_path(self.path)
        try:
            disk.make_folder(folder / "overview")
            self.journal = journal.JournalWriter(self.path, header, disk)
            self._fill_reserve()
            self._open()
        except BaseException:
            self.take_away()
            raise

    def _fill_reserve(self) -> None:
        reserve = self._disk.append(self._reserve)
        try:
            write_all(reserve, bytes(_RESERVE_BYTES + _RESERVE_A_FILE * len(self._header.files)), 0)
        finally:
            reserve.close()

    def _open(self) -> None:
        row = 0
        for file in self._header.files:
            path = self.folder / file.path
            writer = bwf.BwfWriter(path, format_of(self._header, file), origin_of(self._header, file), self._disk)
            drawn = OverviewWriter(overview_path(path), file.channels, self._disk)
            self.tracks.append(TrackFile(file, writer, drawn, slice(row, row + file.channels)))
            row += file.channels

    def sync_folders(self) -> None:
        """Brings the names of what was made to the disk. Raises OSError."""
        for folder in (self.folder, self.folder.parent, self.folder.parent.parent):
            self._disk.sync_folder(folder)

    def free_reserve(self) -> None:
        with suppress(OSError):
            self._disk.remove(self._reserve)

    def remove(self, track: TrackFile) -> None:
        """Closes and removes one file."""
        self.tracks.remove(track)
        with suppress(OSError):
            track.writer.abandon()
        with suppress(OSError):
            self._disk.remove(track.writer.path)
        with suppress(OSError):
            track.overview.take_away()

    def take_away(self) -> None:
        """Closes and removes everything; what the disk will not remove stays."""
        for track in list(self.tracks):
            self.remove(track)
        self.free_reserve()
        if self.journal is not None:
            with suppress(OSError):
                self.journal.close()
            with suppress(OSError):
                self._disk.remove(self.journal.path)
        # The run before may have left something here, then the folders stay. What was counted in lies within the run's
        # folder, and whichever of the two goes last takes that along.
        around = [self.folder.parent] if self._header.lead_in_of else []
        for folder in (self.folder / "overview", self.folder, *around):
            with suppress(OSError):
                self._disk.remove(folder)
