"""The engine behind its sockets: what cannot be read or done is answered, never fatal."""

import math
import threading
import time
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import msgpack
import pytest
import zmq

from cattailer.core.errors import Away, NotNow, Refusal
from cattailer.engine.process.client import EngineClient, Listener
from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo


@pytest.fixture
def addresses(tmp_path: Path) -> Iterator[tuple[str, str]]:
    pair = (f"ipc://{tmp_path}/c", f"ipc://{tmp_path}/t")
    server = EngineServer(lambda plan: open_live_room(plan, WallClock(math.inf)), *pair)
    thread = threading.Thread(target=server.serve)
    thread.start()
    yield pair
    server.shut_down()
    thread.join(10)


def test_commands_and_refusals(addresses: tuple[str, str], tmp_path: Path) -> None:
    client = EngineClient(addresses[0])
    assert client.ask("ping") == "here"
    with pytest.raises(Refusal, match="No session is open"):
        client.ask("roll")
    with pytest.raises(Refusal, match="knows no command"):
        client.ask("dance")
    for bad in ({}, {"plan": 3}, {"plan": {"rate_hz": 1}}):
        with pytest.raises(Refusal, match="could not read"):
            client.ask("plan", **bad)
    plan = demo.plan(True)
    with pytest.raises(Refusal, match="profile of the interface"):
        client.ask("plan", plan=replace(plan, interface="nothing-3").to_dict())
    with pytest.raises(Refusal, match="does not run at"):
        client.ask("plan", plan=replace(plan, rate_hz=22050).to_dict())
    assert client.ask("plan", plan=plan.to_dict())["session"] == 1
    with pytest.raises(Refusal, match="outside the timeline"):
        client.ask("locate", position=-10_000_000)
    with pytest.raises(Refusal, match="No player"):
        client.ask("room", name="ask", arguments={"player": "nobody", "mode": "rest"})
    with pytest.raises(Refusal, match="media folder cannot be written"):
        client.ask("capture", folder="/proc/nowhere", stem="x", header=_header())
    client.ask("capture", folder=str(tmp_path / "run"), stem="x", header=_header())
    with pytest.raises(Refusal, match="already running"):
        client.ask("capture", folder=str(tmp_path / "run2"), stem="x", header=_header())
    with pytest.raises(Refusal, match="cannot be moved while a capture"):
        client.ask("locate", position=5)
    with pytest.raises(Refusal, match="cannot change while"):
        client.ask("plan", plan=replace(plan, period=256).to_dict())
    time.sleep(0.3)
    answer = client.ask("stop")
    assert Path(answer["journal"]).exists()
    assert answer["state"] == "stopped"
    assert client.ask("plan", plan=replace(plan, period=256, revision=2).to_dict())["revision"] == 2


def _header() -> dict[str, object]:
    return {"run": "u", "number": 1, "session": 1, "title": "T", "rate_hz": 48000, "bits": 24, "start": 0,
            "began_at": "2026-05-04T14:02:31+00:00",
            "files": [{"track": 1, "name": "A", "path": "a.wav", "channels": 1, "inputs": [0]}]}


def test_garbage_on_the_socket_is_answered(addresses: tuple[str, str]) -> None:
    socket = zmq.Context.instance().socket(zmq.REQ)
    socket.setsockopt(zmq.LINGER, 0)
    socket.connect(addresses[0])
    for raw in (b"", b"\xc1garbage", msgpack.packb([1, 2]), msgpack.packb("x")):
        socket.send(raw)
        assert socket.poll(3000)
        assert msgpack.unpackb(socket.recv())["ok"] is False
    socket.close()


def test_telemetry_tells_levels_and_the_mix(addresses: tuple[str, str]) -> None:
    client = EngineClient(addresses[0])
    client.ask("plan", plan=demo.plan(True).to_dict())
    client.ask("roll")
    listener = Listener(addresses[1], ("frame", "mix"))
    frames, heard = [], 0
    until = time.monotonic() + 10
    while (len(frames) < 40 or heard < 48000) and time.monotonic() < until:
        for topic, message in listener.receive(100):
            if topic == "frame":
                frames.append(message)
            else:
                heard += len(message["pcm"]) // 8
    listener.close()
    assert len(frames) >= 40
    assert heard >= 48000
    last = frames[-1]
    assert last["state"] == "rolling"
    assert last["revision"] == 1
    assert all(peak > -60 for peak in last["inputs"]["hold"][:10])
    assert all(zone == "none" for zone in last["inputs"]["zone"][10:])
    positions = [f["position"] for f in frames]
    assert positions == sorted(positions)


def test_nobody_there(tmp_path: Path) -> None:
    client = EngineClient(f"ipc://{tmp_path}/none", timeout_s=0.1)
    for _ in range(2):
        with pytest.raises(Away, match="does not answer"):
            client.ask("ping")
    assert issubclass(NotNow, Refusal)
