"""The engine behind its sockets: what cannot be read or done is answered, never fatal."""

import math
import threading
import time
import weakref
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path

import msgpack
import pytest
import zmq

from cattailer.core.errors import Refusal
from cattailer.core.mix.effects import Effects, Reverb
from cattailer.core.plan import ReturnPlan
from cattailer.engine.effects.spaces import Space
from cattailer.engine.messages.commands import AskRoom, Capture, Locate, Ping, Roll, RunPlan, Stop, address_of
from cattailer.engine.process import telemetry
from cattailer.engine.process.client import EngineClient, Listener
from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo
from tests.helpers.waiting import patient_client, wait_for


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
    client = patient_client(addresses[0])
    assert client.ask(Ping()) == "here"
    with pytest.raises(Refusal, match="No session is open"):
        client.ask(Roll())
    with pytest.raises(Refusal, match="could not read"):
        client.ask(RunPlan({"rate_hz": 1}))
    plan = demo.plan(True)
    with pytest.raises(Refusal, match="profile of the interface"):
        client.ask(RunPlan(replace(plan, interface="nothing-3").to_dict(), []))
    with pytest.raises(Refusal, match="does not run at"):
        client.ask(RunPlan(replace(plan, rate_hz=22050).to_dict(), []))
    assert client.ask(RunPlan(plan.to_dict(), [])).session == 1
    with pytest.raises(Refusal, match="outside the timeline"):
        client.ask(Locate(1, -10_000_000))
    with pytest.raises(Refusal, match="No player"):
        client.ask(AskRoom("ask", {"player": "nobody", "mode": "rest"}))
    with pytest.raises(Refusal, match="media folder is not where it was"):
        client.ask(Capture(_header(), "/proc/nowhere", "x"))
    client.ask(Capture(_header(), str(tmp_path / "run"), "x"))
    with pytest.raises(Refusal, match="already running"):
        client.ask(Capture(_header(), str(tmp_path / "run2"), "x"))
    with pytest.raises(Refusal, match="cannot be moved while a capture"):
        client.ask(Locate(1, 5))
    with pytest.raises(Refusal, match="cannot change while"):
        client.ask(RunPlan(replace(plan, period=256).to_dict(), []))
    time.sleep(0.3)
    answer = client.ask(Stop(1))
    assert answer.journal == str(tmp_path / "run" / "x.journal.jsonl")
    assert answer.status.state == "stopped"
    assert client.ask(RunPlan(replace(plan, period=256, revision=2).to_dict(), [])).revision == 2


def _header() -> dict[str, object]:
    return {"run": "u", "number": 1, "session": 1, "title": "T", "rate_hz": 48000, "bits": 24, "start": 0,
            "began_at": "2026-05-04T14:02:31+00:00",
            "files": [{"track": 1, "name": "A", "path": "a.wav", "channels": 1, "inputs": [0]}]}


def test_another_rate_leaves_nothing_of_the_engine_before(tmp_path: Path) -> None:
    server = EngineServer(lambda plan: open_live_room(plan, WallClock(math.inf)), f"ipc://{tmp_path}/c", f"ipc://{tmp_path}/t")
    plan = demo.plan(True)
    server.run_plan(plan)
    engine, told = server.engine, server.telemetry
    assert engine is not None
    parts = {
        "engine": engine, "driver": engine.driver, "ring": engine.ring, "mixes": engine.mixes, "telemetry": told,
    }
    left = {name: weakref.ref(part) for name, part in parts.items()}
    del engine, told, parts
    try:
        server.run_plan(replace(plan, rate_hz=44_100, tempo=replace(plan.tempo, rate_hz=44_100), revision=2))
        assert [name for name, ref in left.items() if ref() is not None] == []
    finally:
        with server._switching:
            server._close_driver()


def test_garbage_on_the_socket_is_answered(addresses: tuple[str, str]) -> None:
    socket = zmq.Context.instance().socket(zmq.REQ)
    socket.setsockopt(zmq.LINGER, 0)
    socket.connect(addresses[0])
    messages = [
        [1, 2], "x", {"command": "Dance"}, {"command": "RunPlan"}, {"command": "RunPlan", "arguments": {"plan": 3}},
        {"command": "GetSound", "arguments": {"rows": "all", "count": 1}}, {"command": ["Ping"]}, {"command": "Locate", "arguments": [1]},
    ]
    deep, whole = b"\x91" * 5000 + b"\x01", msgpack.packb({"command": "Ping"})
    for raw in (b"", b"\xc1garbage", deep, (whole, b"more"), (b"", b""), *map(msgpack.packb, messages)):
        socket.send_multipart([raw] if isinstance(raw, bytes) else raw)
        assert socket.poll(3000), raw
        answer = msgpack.unpackb(socket.recv())
        assert answer["ok"] is False
        assert "knows no command" in answer["message"] or "could not read" in answer["message"]
    socket.close()
    assert msgpack.unpackb(EngineServer._packed({"ok": True, "value": 1 << 70}))["ok"] is False
    with pytest.raises(Refusal, match="too large"):
        patient_client(addresses[0]).ask(Locate(1, 1 << 70))


def test_clients_that_nobody_closed_while_their_engine_went_hold_up_no_others(tmp_path: Path) -> None:
    with ThreadPoolExecutor(1) as engines:
        for n in range(100):
            engine = zmq.Context.instance().socket(zmq.REP)
            engine.rcvtimeo = 15_000
            engine.bind(address_of(f'ipc://{tmp_path}/{n}', Ping.channel))
            engines.submit(lambda at: at.send(at.recv() and msgpack.packb({"ok": True, "value": "here"})), engine)
            assert EngineClient(f"ipc://{tmp_path}/{n}", 10.0).ask(Ping()) == "here"
            engines.submit(engine.close, 0)


def test_an_effect_that_fails_is_said_and_a_limiter_that_works_all_the_time(
    addresses: tuple[str, str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(telemetry, "LIMITED_FRAMES", 5)
    client = patient_client(addresses[0])
    plan = replace(demo.plan(True), returns=(ReturnPlan(1, "Barn", effects=Effects(reverb=Reverb())),))
    plan = replace(plan, routes=(*plan.routes, ("track:3", "return:1"), ("return:1", "mix:1")),
                   mixes=(replace(plan.mixes[0], limit_dbfs=-40.0), *plan.mixes[1:]))
    listener = Listener(addresses[1], ("event",))
    client.ask(RunPlan(plan.to_dict(), []))
    for player in ("cello", "dulcimer"):
        client.ask(AskRoom("ask", {"player": player, "mode": "perform"}))
    wait_for(lambda: client.status().limited == [1])

    def broken(space: Space, block: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr(Space, "process", broken)
    said = wait_for(lambda: [m for m in listener.receive(500) if m.get("kind") == "effect"])
    assert said[0]["message"].startswith("The reverb of Barn failed and was switched off. What is captured is as it was.")  # type: ignore[index]
    listener.close()
