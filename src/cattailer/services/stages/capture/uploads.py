"""Sound files on their way to the studio machine: offered, arriving, here.

They lie below the session's media folder under a name of their own until they are imported, and nothing of one that
broke off or was cancelled stays. What goes on is kept in memory only: after a restart files are chosen again.
"""

import secrets
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from cattailer.core.errors import NotFound, NotNow, Refusal
from cattailer.core.takes.importing import RESERVED_BYTES, SINGLE, SPLITS, why_not
from cattailer.media import wavfile
from cattailer.media.soundfiles import ENDINGS, KINDS, Unkept, is_sound, opened
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.disk import free_bytes
from cattailer.services.desk.places import check_root, root_of, roots
from cattailer.services.session.reading import get_session

WAITING, ARRIVING, HERE, IMPORTING, DONE = "waiting", "arriving", "here", "importing", "done"
ASKS = "asks"
"""It is here, but does not keep what it promises: is what there is wanted?"""
BROKEN, FAILED = "broken", "failed"
"""It did not arrive, and may be sent again; it cannot be imported."""
ENDED = (DONE, BROKEN, FAILED)
MAX_FILES, MAX_BYTES = 100, 64 << 30
PREFIX = ".import-"
BROKEN_OFF = "The connection broke off, and nothing was kept of it. Try again."
NOT_SENT = "It was never sent: the page on which it was chosen is gone. Remove it and choose it again."
PATIENCE_S = 15.0
"""A page sends one file after another: where none comes for so long, none is on its way."""


class Cancelled(Exception):
    """Somebody pressed Cancel."""


@dataclass
class Upload:
    """One file. ``arrived`` of ``size`` bytes are here; then ``done`` of ``to_do`` samples are imported. ``stamp`` is
    where the file itself says that it begins, in its own samples; None where it does not. ``partly``: what there is of
    it is imported, though it promises something else. ``message`` says how it ended."""

    number: int
    name: str
    size: int
    path: Path
    state: str = WAITING
    arrived: int = 0
    rate_hz: int = 0
    channels: int = 0
    samples: int = 0
    stamp: int | None = None
    split: str = SINGLE
    done: int = 0
    to_do: int = 0
    message: str = ""
    partly: bool = False
    cancelled: bool = False
    changed_s: float = field(default_factory=time.monotonic)
    """When its state changed last."""
    _file: BinaryIO | None = field(default=None, repr=False)

    def write(self, data: bytes) -> None:
        """Appends what arrived. Raises Refusal for what is not sound, is more than was offered, or was cancelled;
        OSError."""
        if self.cancelled or self._file is None:
            raise Cancelled
        if not self.arrived and not is_sound(data[:16]):
            raise Refusal(f"{self.name} is not a sound file that can be read here ({KINDS}).")
        if self.arrived + len(data) > self.size:
            raise Refusal(f"More of {self.name} came than was announced. Nothing was kept; try again.")
        self._file.write(data)
        self.arrived += len(data)

    def begin(self) -> None:
        """Raises OSError."""
        self.state, self.arrived, self.message, self.cancelled, self.partly = ARRIVING, 0, "", False, False
        self.changed_s = time.monotonic()
        self.path.unlink(missing_ok=True)
        self._file = open(self.path, "xb", buffering=0)  # noqa: SIM115 - closed by finish or drop

    def finish(self) -> None:
        """All of it is here: what is it? Raises Refusal, OSError."""
        self._close()
        if self.arrived != self.size:
            raise Refusal(BROKEN_OFF)
        try:
            self._look()
        except Unkept as why:
            self.ask(why)
            self._look()
        if reason := why_not(self.name, self.channels, self.samples, self.rate_hz):
            raise Refusal(reason)
        self.stamp = wavfile.time_stamp(self.path)
        if self.state == ARRIVING:
            self.state = HERE
        self.changed_s = time.monotonic()

    def _look(self) -> None:
        with opened(self.path, self.name, self.partly) as sound:
            self.rate_hz, self.channels, self.samples = sound.rate_hz, sound.channels, sound.samples

    def ask(self, why: Unkept) -> None:
        """Not all of it is there: somebody is asked whether what there is will do."""
        self.state, self.message, self.partly = ASKS, f"{why.message.removesuffix('.')}, or use what is there.", True

    def drop(self, state: str, message: str = "") -> None:
        """It ended like that; nothing of it stays on the disk."""
        self._close()
        self.path.unlink(missing_ok=True)
        self.state, self.message, self.changed_s = state, message, time.monotonic()

    def _close(self) -> None:
        if self._file is not None:
            self._file.close()
            self._file = None


class LiveUploads:
    """Those of a session, in the order in which they were offered."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.all: dict[int, Upload] = {}
        self.next = 1
        self.busy = False
        """Whether some are being imported."""


def of(desk: Desk, session_id: int) -> LiveUploads:
    return desk.live.of(session_id, LiveUploads)


def listed(desk: Desk, session_id: int) -> list[Upload]:
    live = of(desk, session_id)
    with live.lock:
        every = list(live.all.values())
        last_s = max((u.changed_s for u in every), default=0.0)
        if time.monotonic() - last_s > PATIENCE_S and all(u.state != ARRIVING for u in every):
            for upload in (u for u in every if u.state == WAITING):
                upload.drop(BROKEN, NOT_SENT)
    return every


def find(desk: Desk, session_id: int, number: int) -> Upload:
    """Raises NotFound."""
    found = of(desk, session_id).all.get(number)
    if found is None:
        raise NotFound("That file is no longer in the list. Choose it again.")
    return found


def offer(desk: Desk, session_id: int, name: str, size: int) -> Upload:
    """Announces a file, before any of it is sent. Raises Refusal for what cannot be read here, NotNow where the disk
    has no room for it or is not there."""
    name = Path(name.replace("\\", "/")).name.strip()[:200] or "sound"
    ending = Path(name).suffix.lower()
    if ending and ending not in ENDINGS:
        raise Refusal(f"{name} is not a sound file that can be read here ({KINDS}). Nothing was sent.")
    if not 0 < size <= MAX_BYTES:
        raise Refusal(f"{name} is {'empty' if size <= 0 else 'larger than 64 GB'}. Nothing was sent.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        check_root(desk, session)
        root = root_of(desk, session)
    live = of(desk, session_id)
    with live.lock:
        if len(live.all) >= MAX_FILES:
            raise NotNow(f"{MAX_FILES} files are in the list. Import or remove some first.")
        coming = sum(u.size - u.arrived for u in live.all.values() if u.state in (WAITING, ARRIVING))
        check_room(root, name, size, coming)
        number, live.next = live.next, live.next + 1
        path = root / f"{PREFIX}{secrets.token_hex(8)}{ending}"
        live.all[number] = made = Upload(number, name, size, path)
    return made


def check_room(root: Path, name: str, size: int, coming: int = 0) -> None:
    """``coming`` bytes are promised to others. Raises NotNow where the disk has no room for ``size`` more."""
    left = free_bytes(root) - coming - RESERVED_BYTES
    if size > left:
        raise NotNow(
            f"The disk has no room for {name}: it needs {size / 1e6:,.0f} MB, and {max(0, left) / 1e6:,.0f} MB are "
            "left besides what is kept free for capturing. Free some space, then try again."
        )


def begin(desk: Desk, session_id: int, number: int, size: int) -> Upload:
    """The bytes of a file that was offered begin to come. Raises NotFound, NotNow, Refusal, OSError."""
    live = of(desk, session_id)
    with live.lock:
        upload = find(desk, session_id, number)
        if upload.state not in (WAITING, BROKEN):
            raise NotNow(f"{upload.name} is here already, or on its way.")
        if size != upload.size:
            raise Refusal(f"{upload.name} has another length than was announced. Choose it again.")
        upload.begin()
    return upload


def split(desk: Desk, session_id: int, number: int, how: str) -> None:
    """What the channels of a file become. Raises NotFound, Refusal."""
    if how not in SPLITS:
        raise Refusal("Channels become single tracks or pairs.")
    find(desk, session_id, number).split = how


def accept(desk: Desk, session_id: int, number: int, wanted: bool) -> None:
    """Whether what there is of a file that does not keep its promise will do. Raises NotFound."""
    upload = find(desk, session_id, number)
    if upload.partly and upload.state in (ASKS, HERE):
        upload.state = HERE if wanted else ASKS


def cancel(desk: Desk, session_id: int, number: int) -> None:
    """Stops it where it is; one that has ended, or has not begun, leaves the list. Raises NotFound."""
    live = of(desk, session_id)
    with live.lock:
        upload = find(desk, session_id, number)
        upload.cancelled = True
        if upload.state in (ARRIVING, IMPORTING):
            return
        if upload.state in (HERE, ASKS):
            upload.drop(FAILED)
        del live.all[number]


def take_off(desk: Desk, session_id: int, upload: Upload) -> None:
    """One that was cancelled is gone from disk and list."""
    live = of(desk, session_id)
    with live.lock:
        upload.drop(FAILED)
        live.all.pop(upload.number, None)


def clear(desk: Desk, session_id: int) -> None:
    """Takes what has ended off the list."""
    live = of(desk, session_id)
    with live.lock:
        live.all = {n: u for n, u in live.all.items() if u.state not in ENDED}


def sweep(desk: Desk, before: float) -> None:
    """Removes what an earlier process left behind: what was written last before that time, in seconds since 1970."""
    with desk.database.transaction() as db:
        below = roots(desk, db)
    for root in below:
        for path in root.glob(f"{PREFIX}*"):
            if path.stat().st_mtime < before:
                path.unlink(missing_ok=True)
