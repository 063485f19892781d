"""A wire between a browser and the studio that can be slow, cut, or dead while both ends believe that it is open."""

import asyncio
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress

PIECE = 16 << 10


class Wire:
    """Forwards loopback connections to a port. ``up_bytes_per_s`` and ``down_bytes_per_s`` are None at full speed;
    ``dead``: nothing is forwarded any more, and nobody is told; ``away``: new connections are closed at once."""

    def __init__(self, target: int) -> None:
        self._target = target
        self.up_bytes_per_s: float | None = None
        self.down_bytes_per_s: float | None = None
        self.dead = self.away = False
        self._made = self._buried = 0
        self.sent_up = self.sent_down = 0
        self.port = 0
        self._loop = asyncio.new_event_loop()
        self._open: set[asyncio.StreamWriter] = set()
        self._stopping = asyncio.Event()
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._serve, daemon=True)

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def cut(self) -> None:
        """Ends all connections that are open now, as an unplugged cable would once it is noticed."""
        self._loop.call_soon_threadsafe(self._cut)

    def bury(self) -> None:
        """Nothing comes over the connections that are open now, and nobody is told; new ones are as ever."""
        self._buried = self._made

    def start(self) -> None:
        self._thread.start()
        self._ready.wait()

    def stop(self) -> None:
        self._loop.call_soon_threadsafe(self._stopping.set)
        self._thread.join(10)

    def _cut(self) -> None:
        for writer in list(self._open):
            writer.transport.abort()

    def _serve(self) -> None:
        asyncio.set_event_loop(self._loop)
        server = self._loop.run_until_complete(asyncio.start_server(self._connect, "127.0.0.1", 0, limit=PIECE))
        self.port = server.sockets[0].getsockname()[1]
        self._ready.set()
        self._loop.run_until_complete(self._stopping.wait())
        server.close()
        self._cut()
        tasks = asyncio.all_tasks(self._loop)
        for task in tasks:
            task.cancel()
        self._loop.run_until_complete(asyncio.gather(*tasks, return_exceptions=True))
        self._loop.close()

    async def _connect(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self.away:
            writer.transport.abort()
            return
        with suppress(OSError):
            far_reader, far_writer = await asyncio.open_connection("127.0.0.1", self._target, limit=PIECE)
            self._open |= {writer, far_writer}
            self._made += 1
            number = self._made
            try:
                await asyncio.gather(self._pump(reader, far_writer, True, number), self._pump(far_reader, writer, False, number))
            finally:
                for each in (writer, far_writer):
                    each.transport.abort()
                self._open -= {writer, far_writer}

    async def _pump(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter, up: bool, number: int) -> None:
        with suppress(OSError):
            while data := await reader.read(PIECE):
                while self.dead or number <= self._buried:
                    await asyncio.sleep(0.02)
                rate = self.up_bytes_per_s if up else self.down_bytes_per_s
                if rate:
                    await asyncio.sleep(len(data) / rate)
                writer.write(data)
                await writer.drain()
                if up:
                    self.sent_up += len(data)
                else:
                    self.sent_down += len(data)
        with suppress(OSError):
            writer.write_eof()


@contextmanager
def wire_to(port: int) -> Iterator[Wire]:
    made = Wire(port)
    made.start()
    try:
        yield made
    finally:
        made.stop()
