"""What pages are told of levels, and the sound that is handed out for measuring."""

import math
import threading
from pathlib import Path

import msgpack
import numpy as np
import pytest
import zmq

from cattailer.core.errors import Refusal
from cattailer.core.plan import TrackPlan
from cattailer.core.sound.meters import KINDS
from cattailer.core.takes.course import Course
from cattailer.engine.messages.commands import ChooseMeters, GetSound, RunPlan
from cattailer.engine.process.client import Listener
from cattailer.engine.process.metering import RowMeters
from cattailer.engine.process.server import EngineServer
from cattailer.engine.process.telemetry import Telemetry
from cattailer.liveroom.clock import WallClock
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo
from tests.helpers.plans import plan_of, run_for, start
from tests.helpers.ramp import capture, settle
from tests.helpers.waiting import patient_client, wait_for

RATE = 48000


class Kept:
    """A socket that keeps what is sent."""

    def __init__(self) -> None:
        self.sent: list[tuple[str, dict]] = []

    def recv(self, flags: int) -> bytes:
        raise zmq.Again  # nobody subscribes

    def send_multipart(self, parts: list[bytes], flags: int) -> None:
        self.sent.append((parts[0].decode(), msgpack.unpackb(parts[1])))


def frames(kept: Kept) -> list[dict]:
    return [message for topic, message in kept.sent if topic == "frame"]


def test_faders_never_change_what_an_input_meter_says() -> None:
    readings = []
    for fader in (0.0, -20.0):
        engine = start(plan_of(TrackPlan(3, "Cello", (2,), False, fader, window=(-30.0, -20.0))))
        kept = Kept()
        telemetry = Telemetry(engine, kept, set())  # type: ignore[arg-type]
        telemetry.point = "channel"
        run_for(engine, RATE)
        telemetry.pump()
        readings.append(frames(kept)[-1])
    first, second = readings
    assert first["inputs"] == second["inputs"]
    assert first["channel"]["hold"][0] == pytest.approx(second["channel"]["hold"][0] + 20.0, abs=0.11)
    assert first["channel"]["zone"][0] != second["channel"]["zone"][0]
    assert first["window"] == [-18.0, -12.0]


def test_clips_are_counted_with_their_time_and_forgotten_by_row() -> None:
    meters = RowMeters(3, RATE)
    burst = np.zeros((3, 480), np.float32)
    burst[0, 10:14] = burst[2, 10:14] = 1.0
    meters.add(burst)
    told = meters.as_sent(meters.show(1234.5), [(-18.0, -12.0)] * 3)
    assert (told["clips"], told["clipped_at"], told["zone"]) == ([1, 0, 1], [1234.5, 0.0, 1234.5], ["clipped", "none", "clipped"])
    meters.reset([0])
    told = meters.as_sent(meters.show(1300.0), [(-18.0, -12.0)] * 3)
    assert (told["clips"], told["clipped_at"]) == ([0, 0, 1], [0.0, 0.0, 1234.5])
    meters.reset(None)
    assert meters.as_sent(meters.show(1301.0), [(-18.0, -12.0)] * 3)["clips"] == [0, 0, 0]


def test_meters_stay_finite_and_recover() -> None:
    for kind in KINDS:
        meters = RowMeters(2, RATE)
        meters.choose(kind)
        for block in (np.full((2, 7), np.nan), np.full((2, 3), np.inf), np.ones((2, 1)), np.zeros((2, 4 * RATE)), np.full((2, 480), 0.1)):
            meters.add(block.astype(np.float32))
            reading = meters.show(0.0)
            assert np.isfinite([reading.peak_dbfs, reading.hold_dbfs, reading.rms_dbfs]).all()
        for _ in range(40):
            meters.add(np.full((2, 4800), 0.1, np.float32) * np.resize([1, -1], 4800).astype(np.float32))
            reading = meters.show(0.0)
        assert -25 < reading.peak_dbfs[0] < -10


def test_sound_is_handed_out_from_the_ring(tmp_path: Path) -> None:
    pair = (f"ipc://{tmp_path}/c", f"ipc://{tmp_path}/t")
    server = EngineServer(lambda plan: open_live_room(plan, WallClock(math.inf)), *pair)
    thread = threading.Thread(target=server.serve)
    thread.start()
    try:
        client = patient_client(pair[0])
        client.ask(RunPlan(demo.plan(True).to_dict(), []))
        wait_for(lambda: client.ask(GetSound([3], 4800)).count == 4800)
        first = client.ask(GetSound([3, 0], 4800, 0))
        assert (first.start, first.count, len(first.pcm)) == (0, 4800, 2 * 4 * 4800)
        again = client.ask(GetSound([3], 4800, 0))
        assert again.pcm == first.pcm[: 4 * 4800]
        assert client.ask(GetSound([3], 10, 1 << 40)).count == 0
        for rows, count in (([], 5), ([999], 5), ([0], 0), ([0], 1 << 40)):
            with pytest.raises(Refusal, match="no such sound"):
                client.ask(GetSound(rows, count))
        with pytest.raises(Refusal, match="cannot show"):
            client.ask(ChooseMeters("sparkle", "input"))
        listener = Listener(pair[1], ("frame",))
        client.ask(ChooseMeters("vu", "channel"))
        wait_for(lambda: any(f["kind"] == "vu" and f["channel"] for f in listener.receive(200)))
        listener.close()
    finally:
        server.shut_down()
        thread.join(10)


@pytest.mark.parametrize(("socket", "silent"), [(13, True), (1, False)])
def test_a_capture_from_a_silent_socket_says_so_while_it_runs(tmp_path: Path, socket: int, silent: bool) -> None:
    inputs = (socket - 1,)
    engine = start(plan_of(TrackPlan(1, "One", inputs, True)))  # the demo's players play at ten of sixteen sockets
    kept = Kept()
    telemetry = Telemetry(engine, kept, set())  # type: ignore[arg-type]
    capture(engine, tmp_path, Course(), inputs=inputs)

    def told(seconds: float) -> str:
        run_for(engine, round(seconds * RATE))
        engine.pump()
        telemetry.pump()
        return frames(kept)[-1]["silent"]

    assert told(4) == "", "players may come in late"
    assert told(3).startswith("✗ One is silent: nothing has come from its socket") == silent
    engine.soon(engine.stop)
    settle(engine)
    assert told(0.2) == ""
