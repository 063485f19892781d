"""How a file of a run is written: its format, and what its header says of it. Told by the run's header alone."""

from datetime import datetime

from cattailer.media.bwf import Format, Origin
from cattailer.media.journal import RunFile, RunHeader


def format_of(header: RunHeader, file: RunFile) -> Format:
    return Format(header.rate_hz, file.channels, header.bits)


def origin_of(header: RunHeader, file: RunFile) -> Origin:
    try:
        began_at = datetime.fromisoformat(header.began_at)
    except ValueError:
        began_at = datetime.fromtimestamp(0)
    note = "counted in, before the take" if header.lead_in_of else ""
    return Origin(
        header.title, file.name, header.start, began_at, f"run {header.number}", file.inputs, note, file.feed
    )
