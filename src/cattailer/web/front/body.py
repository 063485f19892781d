"""What is sent with a request, as it comes."""

import asyncio
from contextlib import suppress

from cattailer.web.live.line import Receive

DISCARD_S = 5.0


class BrokenOff(Exception):
    """Whoever sent it is gone."""


class Body:
    """``over``: all of it is here."""

    def __init__(self, receive: Receive) -> None:
        self._receive = receive
        self.over = False

    async def next(self) -> bytes:
        """What comes next; empty when nothing more does. Raises BrokenOff."""
        if self.over:
            return b""
        message = await self._receive()
        if message["type"] == "http.disconnect":
            self.over = True
            raise BrokenOff
        self.over = not message.get("more_body")
        return bytes(message.get("body", b""))

    async def whole(self, most: int) -> bytes | None:
        """All of it; None when it is more than ``most``. Raises BrokenOff."""
        body = bytearray()
        while not self.over:
            body += await self.next()
            if len(body) > most:
                return None
        return bytes(body)

    async def discard(self) -> None:
        """Reads the rest, for a while: a browser that is still sending takes an answer for a broken connection."""
        with suppress(TimeoutError, BrokenOff):
            async with asyncio.timeout(DISCARD_S):
                while not self.over:
                    await self.next()
