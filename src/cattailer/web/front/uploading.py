"""A sound file that is sent goes to the disk as it comes: at any size, at any speed that still moves."""

import asyncio
import re
from collections.abc import AsyncIterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.stages.capture import uploads
from cattailer.services.stages.capture.uploads import Cancelled, Upload
from cattailer.web.front.body import Body, BrokenOff

STILL_S, LOOK_S = 60.0, 1.0
"""So long nothing may come; so often it is looked whether somebody cancelled."""
PIECE_BYTES, THREADS = 1 << 20, 4
_ADDRESS = re.compile(r"/s/(\d{1,9})/imports/(\d{1,9})/sound")


@dataclass(frozen=True)
class Outcome:
    status: int
    text: str


class Uploading:
    """Has threads of its own, so a disk that is slow holds up nobody else."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._threads = ThreadPoolExecutor(THREADS, "upload")

    @staticmethod
    def address(method: str, path: str) -> tuple[int, int] | None:
        """Session and number of the file whose bytes are sent there; None for every other address."""
        found = _ADDRESS.fullmatch(path) if method == "PUT" else None
        return (int(found[1]), int(found[2])) if found else None

    async def take(self, session_id: int, number: int, size: int, body: Body) -> Outcome:
        """Whatever happens, a file that is not here whole leaves nothing behind."""
        loop = asyncio.get_running_loop()
        try:
            upload = await loop.run_in_executor(self._threads, uploads.begin, self._desk, session_id, number, size)
        except Refusal as why:
            return Outcome(why.status, why.message)
        except OSError as why:
            return Outcome(507, f"The disk did not take the file ({why.strerror or why}). Nothing was kept; try again.")
        try:
            async for piece in _pieces(upload, body):
                await loop.run_in_executor(self._threads, upload.write, piece)
            await loop.run_in_executor(self._threads, upload.finish)
            return Outcome(200, "")
        except Cancelled:
            await loop.run_in_executor(self._threads, uploads.take_off, self._desk, session_id, upload)
            return Outcome(409, "Cancelled. Nothing was kept.")
        except (BrokenOff, TimeoutError):
            outcome = Outcome(408, uploads.BROKEN_OFF)
        except Refusal as why:
            await loop.run_in_executor(self._threads, upload.drop, uploads.FAILED, why.message)
            return Outcome(why.status, why.message)
        except OSError as why:
            text = f"{upload.name} could not be kept ({why.strerror or why}). Nothing of it stays; try again."
            outcome = Outcome(507, text)
        except BaseException:
            upload.drop(uploads.BROKEN, uploads.BROKEN_OFF)
            raise
        await loop.run_in_executor(self._threads, upload.drop, uploads.BROKEN, outcome.text)
        return outcome


async def _pieces(upload: Upload, body: Body) -> AsyncIterator[bytes]:
    """Of a megabyte at the most. Raises Cancelled, BrokenOff, and TimeoutError when nothing comes any more."""
    held, still_s = bytearray(), 0.0
    while not body.over:
        if upload.cancelled:
            raise Cancelled
        try:
            held += await asyncio.wait_for(body.next(), LOOK_S)
            came = True
        except TimeoutError:
            came = False
        still_s = 0.0 if came else still_s + LOOK_S
        if still_s >= STILL_S:
            raise TimeoutError
        if held and (len(held) >= PIECE_BYTES or not came or body.over):
            yield bytes(held)
            held.clear()
