"""How long and how much a connection may hold: heads, bodies, answers that nobody reads, and strangers' connections.

The server is uvicorn's; this adds what it leaves open. A head must come within ten seconds of its first byte, an
answer must be read within thirty, and of connections whose caller is not known (no key, or nothing said yet) only so
many are held: a new one takes the place of the oldest, so a newcomer always gets in, and whoever holds hundreds open
loses them. Of those with a key, whoever holds most makes room. """

import asyncio
import ssl
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol
from uvicorn.protocols.websockets.websockets_sansio_impl import WebSocketsSansIOProtocol

HEAD_S, UNREAD_S, HANDSHAKE_S, KEPT_OPEN_S = 10.0, 30.0, 10.0, 20
MOST_UNKNOWN, MOST_KNOWN = 1000, 500
"""So many that whoever holds hundreds is kept waiting, and costs nothing by coming again."""
BACKLOG, AT_A_TIME = 2048, 8
"""How many may wait at the door, and how many are let in before anybody else has a turn."""


class Callers:
    """The connections of a server by who has them, oldest first."""

    def __init__(self) -> None:
        self._of: dict[int | None, dict[Connection, None]] = {}
        self._owner: dict[Connection, int | None] = {}

    @property
    def held(self) -> int:
        return len(self._owner)

    def came(self, connection: "Connection") -> None:
        self._add(connection, None)
        if len(self._of[None]) > MOST_UNKNOWN:
            self._end_oldest(None)

    def is_known(self, connection: "Connection", owner: int) -> None:
        """It has shown whose it is, so it may come in. Asking again makes it the newest."""
        if connection not in self._owner:
            return
        self.went(connection)
        self._add(connection, owner)
        if self.held - len(self._of.get(None, ())) > MOST_KNOWN:
            self._end_oldest(max((o for o in self._of if o is not None), key=lambda o: len(self._of[o])))

    def went(self, connection: "Connection") -> None:
        if connection in self._owner:
            owner = self._owner.pop(connection)
            del self._of[owner][connection]
            if not self._of[owner]:
                del self._of[owner]

    def _add(self, connection: "Connection", owner: int | None) -> None:
        self._owner[connection] = owner
        self._of.setdefault(owner, {})[connection] = None

    def _end_oldest(self, owner: int | None) -> None:
        oldest = next(iter(self._of[owner]))
        self.went(oldest)
        oldest.transport.abort()


class _Unread:
    """Ends a connection whose other end does not read, for uvicorn's protocols; ``abort`` leaves nothing behind."""

    transport: asyncio.Transport
    _unread: asyncio.TimerHandle | None = None

    def pause_writing(self) -> None:
        super().pause_writing()  # type: ignore[misc]
        if self._unread is None:
            self._unread = asyncio.get_running_loop().call_later(UNREAD_S, self.transport.abort)

    def resume_writing(self) -> None:
        super().resume_writing()  # type: ignore[misc]
        if self._unread is not None:
            self._unread.cancel()
            self._unread = None

    def connection_lost(self, why: Exception | None) -> None:
        if self._unread is not None:
            self._unread.cancel()
            self._unread = None
        super().connection_lost(why)  # type: ignore[misc]


class LiveConnection(_Unread, WebSocketsSansIOProtocol):
    """A connection that became a line."""

    def connection_lost(self, why: Exception | None) -> None:
        connection: Connection = self.app_state["connection"]
        connection.callers.went(connection)
        super().connection_lost(why)


class Connection(_Unread, H11Protocol):
    """What the front finds as ``scope["state"]["connection"]``."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **options)
        self.callers: Callers = self.app_state["callers"]
        self.app_state = {**self.app_state, "connection": self}
        self._head: asyncio.TimerHandle | None = None

    def connection_made(self, transport: asyncio.Transport) -> None:  # type: ignore[override]
        super().connection_made(transport)
        self.callers.came(self)
        self._await_head()

    def data_received(self, data: bytes) -> None:
        super().data_received(data)
        self._await_head()

    def on_response_complete(self) -> None:
        super().on_response_complete()
        self._await_head()

    def connection_lost(self, why: Exception | None) -> None:
        self.callers.went(self)
        self._stop_awaiting()
        super().connection_lost(why)

    def _await_head(self) -> None:
        """While a request has begun and is not there, and before the first one."""
        begun, _ = self.conn.trailing_data
        idle = str(self.conn.their_state) == "IDLE"
        if idle and (begun or self.cycle is None):
            self._head = self._head or self.loop.call_later(HEAD_S, self.transport.abort)
        else:
            self._stop_awaiting()

    def _stop_awaiting(self) -> None:
        if self._head is not None:
            self._head.cancel()
            self._head = None


class Server(uvicorn.Server):
    """One server at several addresses, with HTTPS at some."""

    def __init__(self, config: uvicorn.Config) -> None:
        super().__init__(config)
        self.callers = Callers()

    async def startup(self, sockets: Any = None) -> None:
        """``sockets`` are pairs of a socket and an SSLContext, or None for plain HTTP."""
        await self.lifespan.startup()
        loop = asyncio.get_running_loop()
        self.servers = []
        for bound, context in sockets:
            self.servers.append(await loop.create_server(
                self._connection, sock=bound, ssl=context, backlog=AT_A_TIME,
                ssl_handshake_timeout=HANDSHAKE_S if isinstance(context, ssl.SSLContext) else None,
            ))
            bound.listen(BACKLOG)
        self.started = True

    async def shutdown(self, sockets: Any = None) -> None:
        await super().shutdown([bound for bound, _ in sockets or []])

    def _connection(self) -> Connection:
        state = {**self.lifespan.state, "callers": self.callers}
        return Connection(config=self.config, server_state=self.server_state, app_state=state)
