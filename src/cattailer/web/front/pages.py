"""Flask in threads, for the event loop: a page is worked out in a thread and sent by the loop, so whoever reads
slowly holds no thread, and a file goes out piece by piece, so it is never in memory as a whole."""

import asyncio
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from io import BytesIO
from itertools import islice
from typing import Any

from a2wsgi.wsgi import build_environ
from werkzeug.wsgi import FileWrapper

from cattailer.web.live.line import Message, Send

WHOLE_BYTES, PIECE_BYTES = 1 << 20, 1 << 18
"""What is shorter is sent at once; of what is longer, this much is read at a time."""


@dataclass(frozen=True)
class _Answer:
    status: int
    headers: list[tuple[bytes, bytes]]
    pieces: list[bytes]
    rest: Iterator[bytes] | None
    close: Callable[[], None]


class Pages:
    """A WSGI application with threads of its own."""

    def __init__(self, app: Callable[..., Iterable[bytes]], threads: int, name: str) -> None:
        self._app = app
        self._threads = ThreadPoolExecutor(threads, name)

    async def __call__(self, scope: Message, body: bytes, send: Send) -> None:
        """``body`` is all of what came."""
        loop = asyncio.get_running_loop()
        answer = await loop.run_in_executor(self._threads, self._work, scope, body)
        try:
            await send({"type": "http.response.start", "status": answer.status, "headers": answer.headers})
            while answer.rest is not None:
                piece = await loop.run_in_executor(self._threads, next, answer.rest, None)
                if piece is None:
                    break
                await send({"type": "http.response.body", "body": piece, "more_body": True})
            await send({"type": "http.response.body", "body": b"".join(answer.pieces)})
        finally:
            answer.close()

    def _work(self, scope: Message, body: bytes) -> _Answer:
        environ: dict[str, Any] = {
            **build_environ(scope, None), "wsgi.input": BytesIO(body), "wsgi.multiprocess": False,  # type: ignore[arg-type]
            "wsgi.file_wrapper": lambda file, _=0: FileWrapper(file, PIECE_BYTES),
        }
        told: list[Any] = []
        pieces = self._app(environ, lambda status, headers, _=None: told.extend((status, headers)))
        close: Callable[[], None] = getattr(pieces, "close", lambda: None)
        try:
            rest = iter(pieces)
            first = list(islice(rest, 1))
            status = int(told[0].partition(" ")[0])
            headers = [(n.lower().encode("latin-1"), v.encode("latin-1")) for n, v in told[1]]
            if int(dict(headers).get(b"content-length", b"-1")) in range(WHOLE_BYTES):
                first.extend(rest)
                close()
                return _Answer(status, headers, first, None, lambda: None)
        except BaseException:
            with suppress(Exception):
                close()
            raise
        return _Answer(status, headers, [], _chain(first, rest), close)


def _chain(first: list[bytes], rest: Iterator[bytes]) -> Iterator[bytes]:
    yield from first
    yield from rest
