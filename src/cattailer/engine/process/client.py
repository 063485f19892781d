"""Talking to the engine process: commands that are answered, telemetry that streams."""

import threading
from collections.abc import Iterator
from typing import TypeVar

import msgpack
import zmq

from cattailer.core.errors import Away, Refusal
from cattailer.engine.messages.commands import Command, answer_of, plain
from cattailer.engine.messages.telemetry import Telemetry

ENGINE_AWAY = "The engine does not answer. What was captured until now is kept; it is being restarted. Try again."
A = TypeVar("A")


class EngineClient:
    """Sends one command at a time; safe to share between threads."""

    def __init__(self, commands: str, timeout_s: float = 15.0) -> None:
        self._address = commands
        self._timeout_ms = int(timeout_s * 1000)
        self._lock = threading.Lock()
        self._socket: zmq.Socket[bytes] | None = None

    def ask(self, command: Command[A], timeout_s: float | None = None) -> A:
        """The engine's answer. Raises Refusal with its words, Away when it does not answer in time."""
        with self._lock:
            if self._socket is None:
                self._socket = zmq.Context.instance().socket(zmq.REQ)
                self._socket.setsockopt(zmq.LINGER, 0)
                self._socket.connect(self._address)
            self._socket.send(msgpack.packb(plain(command)))
            if not self._socket.poll(self._timeout_ms if timeout_s is None else int(timeout_s * 1000)):
                self._socket.close()
                self._socket = None
                raise Away(ENGINE_AWAY)
            answer = msgpack.unpackb(self._socket.recv(), strict_map_key=False)
        if not answer["ok"]:
            raise Refusal(answer["message"], answer["status"])
        return answer_of(command, answer["value"])


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
