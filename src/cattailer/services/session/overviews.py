"""The stored overviews of files, from which waveforms are drawn."""

from pathlib import Path

from cattailer.media import overview, wavfile
from cattailer.media.recovery import overview_path

MOST_COLUMNS = 4000
"""The widest picture that is drawn of a stretch."""


def levels_of(path: Path) -> list[overview.Extremes]:
    """The stored overview; made again when it is gone, nothing when the sound is gone too."""
    stored = overview_path(path)
    try:
        return overview.load(stored)
    except (OSError, ValueError):
        try:
            base = overview.of_file(wavfile.inspect(path))
        except (OSError, wavfile.NotAWave):
            return [overview.OverviewBuilder(1).base()]
        stored.parent.mkdir(exist_ok=True)
        overview.save(stored, base)
        return overview.pyramid(base)
