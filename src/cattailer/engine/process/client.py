"""Talking to the engine process: commands that are answered, telemetry that streams."""

import threading
from collections.abc import Iterator
from typing import Any

import msgpack
import zmq

from cattailer.core.errors import Away, Refusal

ENGINE_AWAY = "The engine does not answer. What was captured until now is kept; it is being restarted. Try again."


class EngineClient:
    """Sends one command at a time; safe to share between threads."""

    def __init__(self, commands: str, timeout_s: float = 15.0) -> None:
        self._address = commands
        self._timeout_ms = int(timeout_s * 1000)
        self._lock = threading.Lock()
        self._socket: zmq.Socket[bytes] | None = None

    def ask(self, command: str, timeout_s: float | None = None, **arguments: Any) -> Any:
        """The engine's answer. Raises Refusal with its words, Away when it does not answer in time."""
        with self._lock:
            if self._socket is None:
                self._socket = zmq.Context.instance().socket(zmq.REQ)
                self._socket.setsockopt(zmq.LINGER, 0)
                self._socket.connect(self._address)
            self._socket.send(msgpack.packb({"command": command, "arguments": arguments}))
            if not self._socket.poll(self._timeout_ms if timeout_s is None else int(timeout_s * 1000)):
                self._socket.close()
                self._socket = None
                raise Away(ENGINE_AWAY)
            answer = msgpack.unpackb(self._socket.recv())
        if not answer["ok"]:
            raise Refusal(answer["message"], answer["status"])
        return answer["value"]


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

    def receive(self, timeout_ms: int) -> Iterator[tuple[str, dict[str, Any]]]:
        """What has come, after waiting at most ``timeout_ms`` for the first message."""
        if not self._socket.poll(timeout_ms):
            return
        while True:
            try:
                topic, body = self._socket.recv_multipart(zmq.NOBLOCK)
            except zmq.Again:
                return
            yield topic.decode(), msgpack.unpackb(body)

    def close(self) -> None:
        self._socket.close()
