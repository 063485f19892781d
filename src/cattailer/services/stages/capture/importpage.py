"""Capture, Import: the files that are on their way or here, in words."""

from dataclasses import dataclass
from zlib import crc32

from cattailer.core.takes.importing import SPLITS, length_text, split_words
from cattailer.core.wording import counted
from cattailer.media.soundfiles import ENDINGS, KINDS
from cattailer.services.desk.desk import Desk
from cattailer.services.running import frame
from cattailer.services.running.frame import Frame
from cattailer.services.session.reading import load
from cattailer.services.stages.capture import uploads
from cattailer.services.stages.capture.uploads import ARRIVING, ASKS, HERE, IMPORTING, WAITING, Upload


@dataclass(frozen=True)
class ImportRow:
    """``what`` says what is known of the file, ``now`` what goes on with it; ``percent`` of it is done, None where
    nothing moves. ``asks``: somebody says whether what there is will do. ``splits`` are what its channels may become,
    empty for one or two of them."""

    number: int
    name: str
    state: str
    what: str
    now: str
    percent: int | None
    asks: bool
    splits: list[tuple[str, str]]
    split: str


@dataclass(frozen=True)
class ImportList:
    """``ready`` files can be imported, ``stamped`` of which have a time stamp; ``moving``: it changes by itself."""

    rows: list[ImportRow]
    ready: int
    stamped: int
    ended: int
    moving: bool

    @property
    def mark(self) -> int:
        """Another one wherever a page would show something else."""
        return crc32(repr(self.rows).encode())


@dataclass(frozen=True)
class ImportPage:
    """``kinds`` are the files that can be read, in words, ``endings`` what a browser offers to choose."""

    frame: Frame
    files: ImportList
    kinds: str
    endings: str


def show(desk: Desk, session_id: int) -> ImportPage:
    """Raises NotFound."""
    state = desk.engine_state()
    with desk.database.transaction() as db:
        shown = frame.describe(desk, load(db, session_id), state)
    return ImportPage(shown, listed(desk, session_id), KINDS, ",".join(sorted(ENDINGS)))


def listed(desk: Desk, session_id: int) -> ImportList:
    found = uploads.listed(desk, session_id)
    here = [u for u in found if u.state == HERE]
    return ImportList(
        [_row(u) for u in found], len(here), sum(u.stamp is not None for u in here),
        sum(u.state in uploads.ENDED for u in found), any(u.state in (WAITING, ARRIVING, IMPORTING) for u in found),
    )


def _row(upload: Upload) -> ImportRow:
    sent, done = 100 * upload.arrived // max(1, upload.size), 100 * upload.done // max(1, upload.to_do)
    percent = {WAITING: 0, ARRIVING: sent, IMPORTING: done}.get(upload.state)
    now = {
        WAITING: "waiting", ARRIVING: f"{percent} % sent", HERE: upload.message or "ready to import",
        IMPORTING: f"{percent} % imported",
    }.get(upload.state, upload.message)
    splits = []
    if upload.channels > 2:
        splits = [(key, split_words(upload.channels, key)) for key in SPLITS]
    asks = upload.partly and upload.state in (ASKS, HERE)
    return ImportRow(upload.number, upload.name, upload.state, _what(upload), now, percent, asks, splits, upload.split)


def _what(upload: Upload) -> str:
    size = f"{upload.size / 1e6:,.1f} MB" if upload.size < 1e7 else f"{upload.size / 1e6:,.0f} MB"
    if not upload.samples:
        return size
    channels = {1: "mono", 2: "stereo"}.get(upload.channels, counted(upload.channels, "channel"))
    stamp = ""
    if upload.stamp is not None:
        stamp = f" · time stamp {length_text(upload.stamp, upload.rate_hz)}"
    return f"{channels} · {upload.rate_hz / 1000:g} kHz · {length_text(upload.samples, upload.rate_hz)} · {size}{stamp}"
