"""Talking to the engine process: commands that are answered, telemetry that streams."""

import threading
import time
from collections.abc import Iterator
from typing import Any, TypeVar

import msgpack
import structlog
import zmq

from cattailer.core.errors import Away, Refusal
from cattailer.engine.messages.answers import Status
from cattailer.engine.messages.commands import (
    CHANNELS,
    Command,
    GetStatus,
    PunchOut,
    Stop,
    address_of,
    answer_of,
    plain,
)
from cattailer.engine.messages.telemetry import Telemetry

log = structlog.get_logger("engine client")
ENGINE_AWAY = "The engine does not answer. What was captured until now is kept; it is being restarted. Try again."
STATUS_S = 0.1
A = TypeVar("A")


class EngineClient:
    """Sends commands, on each channel one at a time and in order; safe to share between threads."""

    def __init__(self, commands: str, timeout_s: float = 15.0) -> None:
        self._channels = {channel: _Channel(address_of(commands, channel)) for channel in CHANNELS}
        self._stops = _Channel(address_of(commands, Stop.channel))
        self._timeout_s = timeout_s
        self._asking = threading.Lock()
        self._changes = 0
        self._status: tuple[int, float, Status | Away] = (-1, 0.0, Status())

    def status(self, timeout_s: float = 2.0) -> Status:
        """The engine's status, asked once for all who want it within a tenth of a second; afresh after any command
        from here. Raises Away."""
        with self._asking:
            changes, at, found = self._status
            if changes != self._changes or time.monotonic() - at > STATUS_S:
                changes = self._changes
                try:
                    found = self.ask(GetStatus(), timeout_s)
                except Away as why:
                    found = why
                self._status = (changes, time.monotonic(), found)
        if isinstance(found, Away):
            raise found
        return found

    def ask(self, command: Command[A], timeout_s: float | None = None) -> A:
        """The engine's answer. Raises Refusal with its words, Away when it does not answer in time; the engine does
        not do it any later then."""
        try:
            # Whoever stops waits for nobody here who rolls, captures or goes somewhere.
            channel = self._stops if isinstance(command, Stop | PunchOut) else self._channels[command.channel]
            answer = channel.ask(command, self._timeout_s if timeout_s is None else timeout_s)
        finally:
            if not isinstance(command, GetStatus):
                self._changes += 1
        if not answer["ok"]:
            raise Refusal(answer["message"], answer["status"])
        return answer_of(command, answer["value"])

    def close(self) -> None:
        """Nothing is asked any more."""
        for channel in (*self._channels.values(), self._stops):
            channel.close()


class _Channel:
    """A question whose engine dies is answered at once, with Away: others would wait for it as long as it may take."""

    def __init__(self, address: str) -> None:
        self._address = address
        self._lock = threading.Lock()
        self._socket: zmq.Socket[bytes] | None = None
        self._watch: zmq.Socket[bytes] | None = None
        """Tells when the connection ends."""

    def ask(self, command: Command[Any], timeout_s: float) -> dict[str, Any]:
        """Raises Away."""
        until = time.monotonic() + timeout_s
        if not self._lock.acquire(timeout=timeout_s):
            raise Away(ENGINE_AWAY)
        try:
            left = until - time.monotonic()
            socket, watch = self._opened()
            try:
                packed = msgpack.packb(plain(command, left))
            except (TypeError, ValueError, OverflowError) as why:
                raise Refusal("One of these values is too large, or none at all. Nothing was done.") from why
            socket.send(packed)
            poller = zmq.Poller()
            poller.register(socket, zmq.POLLIN)
            poller.register(watch, zmq.POLLIN)
            heard = dict(poller.poll(max(1, int(1000 * left))))
            if socket not in heard:
                log.warning("no answer", to=type(command).__name__, timeout_s=timeout_s, ended=watch in heard)
                self._close()
                raise Away(ENGINE_AWAY)
            answer: dict[str, Any] = msgpack.unpackb(socket.recv(), strict_map_key=False)
            return answer
        finally:
            self._lock.release()

    def _opened(self) -> "tuple[zmq.Socket[bytes], zmq.Socket[bytes]]":
        """What ended before is no matter to the next question: it waits for the next engine."""
        if self._socket is None or self._watch is None:
            self._socket = zmq.Context.instance().socket(zmq.REQ)
            self._socket.setsockopt(zmq.LINGER, 0)
            self._watch = self._socket.get_monitor_socket(zmq.EVENT_DISCONNECTED)
            self._socket.connect(self._address)
        while self._watch.poll(0):
            self._watch.recv_multipart()
        return self._socket, self._watch

    def close(self) -> None:
        with self._lock:
            if self._socket is not None:
                self._close()

    def __del__(self) -> None:
        """Of a client that nobody closed. The watch ends before its socket does: what is told to a watch that nobody
        reads holds up all sockets of the process for good."""
        if self._socket is not None:
            self._close()

    def _close(self) -> None:
        assert self._socket is not None
        self._socket.disable_monitor()
        self._socket.close()
        self._socket = self._watch = None


class Listener:
    """A subscription to telemetry; use it from one thread."""

    def __init__(self, telemetry: str, topics: tuple[str, ...]) -> None:
        self._socket: zmq.Socket[bytes] = zmq.Context.instance().socket(zmq.SUB)
        self._socket.setsockopt(zmq.LINGER, 0)
        self._socket.setsockopt(zmq.RCVHWM, 500)
        self._socket.connect(telemetry)
        for topic in topics:
            self.add(topic)

    def add(self, topic: str) -> None:
        self._socket.setsockopt(zmq.SUBSCRIBE, topic.encode())

    def drop(self, topic: str) -> None:
        self._socket.setsockopt(zmq.UNSUBSCRIBE, topic.encode())

    def receive(self, timeout_ms: int) -> Iterator[Telemetry]:
        """What has come, after waiting at most ``timeout_ms`` for the first message."""
        if not self._socket.poll(timeout_ms):
            return
        while True:
            try:
                _, body = self._socket.recv_multipart(zmq.NOBLOCK)
            except zmq.Again:
                return
            message: Telemetry = msgpack.unpackb(body)
            yield message

    def close(self) -> None:
        self._socket.close()
