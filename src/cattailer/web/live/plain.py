"""A mix as an endless WAV file (PCM, 16 bits, stereo), for browsers on plain HTTP, which play that but give no
worklet. It ends with its rate or its session, and the page asks for the next one."""

import asyncio
import struct
import time
from concurrent.futures import Executor

import numpy as np

from cattailer.core.access.rights import Rights
from cattailer.services.desk.desk import Desk
from cattailer.web.live.frames import Shown
from cattailer.web.live.hub import Hub
from cattailer.web.live.line import Line, Message, Receive, Send

ENDLESS = 0xFFFFFFFF
"""As a length: until the connection ends."""
SILENT_S = 3.0
"""A mix of which nothing came for so long has gone: another session is open, or the engine is started again."""


class PlainSound(Line):
    """A line that is told nothing, and hears its mix at the rate that its file says."""

    def __init__(
        self, desk: Desk, session_id: int, threads: Executor, send: Send, rights: Rights, rate_hz: int,
    ) -> None:
        super().__init__(desk, session_id, threads, send, rights)
        self.mix = rights.own.id if rights.own else 0
        self._rate_hz = rate_hz
        self._heard_at = time.monotonic()
        self._over = asyncio.Event()

    def tell(self, text: str) -> None:
        pass

    def show(self, frame: Shown) -> None:
        pass

    def sound(self, pcm: bytes, rate_hz: int) -> None:
        self._heard_at = time.monotonic()
        if rate_hz != self._rate_hz:
            self._over.set()
        elif not self._over.is_set():
            self._put({"type": "http.response.body", "body": words_of(pcm), "more_body": True})

    def tick(self) -> None:
        if time.monotonic() - self._heard_at > SILENT_S:
            self._over.set()

    async def read(self, receive: Receive) -> int:
        async def gone() -> None:
            while (await receive())["type"] != "http.disconnect":
                pass

        waiting = [asyncio.create_task(gone()), asyncio.create_task(self._over.wait())]
        try:
            await asyncio.wait(waiting, return_when=asyncio.FIRST_COMPLETED)
        finally:
            for task in waiting:
                task.cancel()
        return 0


def header(rate_hz: int) -> bytes:
    """A WAVE header (RIFF, format 1) for two channels of 16 bits."""
    layout = struct.pack("<HHIIHH", 1, 2, rate_hz, rate_hz * 4, 4, 16)
    endless = struct.pack("<I", ENDLESS)
    return b"RIFF" + endless + b"WAVEfmt " + struct.pack("<I", 16) + layout + b"data" + endless


def words_of(pcm: bytes) -> bytes:
    """32-bit floats as 16-bit words; what is beyond full scale is clipped."""
    sound = np.frombuffer(pcm, "<f4")
    return bytes(np.rint(np.clip(sound, -1.0, 1.0) * 32767).astype("<i2").tobytes())


async def play(
    desk: Desk, hub: Hub, session_id: int, rate_hz: int, rights: Rights, receive: Receive, send: Send
) -> None:
    """The device's own mix, until it is gone, or its rate or session is another."""
    headers = [(b"content-type", b"audio/wav"), (b"cache-control", b"no-store")]
    await send({"type": "http.response.start", "status": 200, "headers": headers})
    await send({"type": "http.response.body", "body": header(rate_hz), "more_body": True})
    line = PlainSound(desk, session_id, hub.threads, send, rights, rate_hz)
    await hub.serve(line, receive, _sound_only(send))
    await send({"type": "http.response.body", "body": b"", "more_body": False})


def _sound_only(send: Send) -> Send:
    async def chosen(message: Message) -> None:
        if message["type"].startswith("http."):
            await send(message)

    return chosen
