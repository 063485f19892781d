"""What may go wrong around the engine: the interface, the disk, commands that come too late, threads that are held up."""

import math
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import msgpack
import pytest
import zmq

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.plan import Plan
from cattailer.engine.block.requests import Requests
from cattailer.engine.driver import Process
from cattailer.engine.messages.commands import Capture, GetStatus, Ping, RunPlan, Stop, plain
from cattailer.engine.process.client import Listener
from cattailer.engine.process.loops import Loops
from cattailer.engine.process.server import EngineServer
from cattailer.liveroom.clock import WallClock
from cattailer.liveroom.driver import LiveRoom
from cattailer.media import journal, wavfile
from cattailer.processes.interfaces import open_live_room
from cattailer.services.session import demo
from tests.helpers.disks import FaultyDisk
from tests.helpers.waiting import pass_time, patient_client, wait_for


class Studio:
    """An engine whose interface can be pulled out, or made to hang, and whose disk can be made to wait."""

    def __init__(self, folder: Path) -> None:
        self.trouble = ""
        self.gate = threading.Event()
        self.gate.set()
        self.opened = 0
        addresses = f"ipc://{folder}/c", f"ipc://{folder}/t"
        self.server = EngineServer(self._open, *addresses, FaultyDisk(self._wait))
        self.client, self.telemetry = patient_client(addresses[0]), addresses[1]
        self.thread = threading.Thread(target=self.server.serve)
        self.thread.start()

    def _wait(self, what: str, path: Path, size: int) -> None:
        if what == "sync":
            self.gate.wait(60)

    def _open(self, plan: Plan) -> LiveRoom:
        self.opened += 1
        room = open_live_room(plan, WallClock(math.inf))
        run = room.run

        def watched(process: Process, going: Callable[[], bool]) -> None:
            def block(*arguments):  # type: ignore[no-untyped-def]
                if self.trouble == "pulled":
                    raise OSError("No such device")
                while self.trouble == "hangs" and going():
                    time.sleep(0.01)
                return process(*arguments)

            run(block, going)

        room.run = watched  # type: ignore[method-assign]
        return room


@pytest.fixture
def studio(tmp_path: Path) -> Iterator[Studio]:
    made = Studio(tmp_path)
    yield made
    made.trouble = ""
    made.gate.set()
    made.server.shut_down()
    made.thread.join(20)


def begin(studio: Studio, folder: Path, plan: Plan | None = None) -> Plan:
    plan = plan or demo.plan(True)
    studio.client.ask(RunPlan(plan.to_dict(), []))
    header = journal.RunHeader("u", 1, plan.session, "T", 48000, 24, 0, "2026-05-04T14:02:31+00:00", (
        journal.RunFile(1, "A", "a.wav", 1, (0,)),
    ))
    studio.client.ask(Capture(journal.plain_header(header), str(folder), "run"))
    return plan


@pytest.mark.parametrize("trouble", ["pulled", "hangs"])
def test_an_interface_that_goes_ends_the_run_at_its_last_sample(studio: Studio, tmp_path: Path, trouble: str) -> None:
    heard: list[str] = []
    listener = Listener(studio.telemetry, ("event",))
    plan = begin(studio, tmp_path / "run")
    pass_time(studio.client, 0.5)
    studio.trouble = trouble
    wait_for(lambda: studio.client.ask(GetStatus()).session is None)
    with pytest.raises(NotNow):
        studio.server.need()
    wait_for(lambda: studio.server.engine is None)
    for event in listener.receive(500):
        heard.append(str(event["kind"]))  # type: ignore[typeddict-item]
    listener.close()
    assert heard[:2] == ["halt", "run"]
    story = journal.read(tmp_path / "run" / "run.journal.jsonl")
    assert story.ended
    assert wavfile.inspect(tmp_path / "run" / "a.wav").frames == story.samples >= 20_000
    studio.trouble = ""
    assert studio.client.ask(RunPlan(plan.to_dict(), [])).session == 1
    assert studio.opened == 2


def test_stop_does_not_wait_for_files_to_be_closed(studio: Studio, tmp_path: Path) -> None:
    """Nor does the next capture; the run that is still closing is kept, and closed."""
    begin(studio, tmp_path / "a")
    pass_time(studio.client, 0.4)
    studio.gate.clear()
    answer = studio.client.ask(Stop(1))
    assert answer.status.state == "stopped"
    assert answer.journal == str(tmp_path / "a" / "run.journal.jsonl")
    begin(studio, tmp_path / "b")
    assert not journal.glance(tmp_path / "a" / "run.journal.jsonl")[1]
    pass_time(studio.client, 0.4)
    studio.gate.set()
    studio.client.ask(Stop(1))
    for name in ("a", "b"):
        path = tmp_path / name / "run.journal.jsonl"
        wait_for(lambda path=path: journal.glance(path)[1])  # type: ignore[misc]
        assert wavfile.inspect(path.parent / "a.wav").frames == journal.read(path).samples > 10_000


def test_a_disk_that_does_not_answer_refuses_the_next_capture(studio: Studio, tmp_path: Path) -> None:
    begin(studio, tmp_path / "a")
    studio.server._loops._quiet_s = 0.3
    studio.gate.clear()
    wait_for(lambda: studio.client.ask(GetStatus()).quiet == ["keep"])
    studio.client.ask(Stop(1))
    with pytest.raises(Refusal, match="disk does not answer"):
        begin(studio, tmp_path / "b")
    assert not (tmp_path / "b").exists()


def test_an_older_plan_and_another_rate_are_refused(studio: Studio, tmp_path: Path) -> None:
    plan = demo.plan(True)
    studio.client.ask(RunPlan(replace(plan, revision=7, title="new").to_dict(), []))
    assert studio.client.ask(RunPlan(replace(plan, revision=6, title="old").to_dict(), [])).title == "new"
    studio.client.ask(RunPlan(replace(plan, revision=8, rate_hz=44_100).to_dict(), []))
    with pytest.raises(Refusal, match="another sample rate"):
        begin(studio, tmp_path / "run", replace(plan, revision=8, rate_hz=44_100))
    assert not (tmp_path / "run").exists()


def test_a_command_that_comes_too_late_is_not_done(studio: Studio) -> None:
    studio.client.ask(RunPlan(demo.plan(True).to_dict(), []))
    socket = zmq.Context.instance().socket(zmq.REQ)
    socket.setsockopt(zmq.LINGER, 0)
    socket.connect(studio.client._channels["pulse"]._address)
    socket.send(msgpack.packb(plain(Ping(), -0.1)))
    answer = msgpack.unpackb(socket.recv())
    socket.close()
    assert (answer["ok"], answer["status"]) == (False, 409)
    assert "too late" in answer["message"]


def test_while_an_interface_is_opened_nobody_is_told_that_no_session_is_open(studio: Studio) -> None:
    """The web would open the last one again, in place of the one that is being opened."""
    plan = demo.plan(True)
    studio.client.ask(RunPlan(plan.to_dict(), []))
    seen: set[int | None] = set()
    done = threading.Event()

    def look() -> None:
        while not done.is_set():
            seen.add(studio.client.ask(GetStatus()).session)

    looking = threading.Thread(target=look)
    looking.start()
    for n, period in enumerate((256, 512, 256), 2):
        studio.client.ask(RunPlan(replace(plan, session=n, period=period).to_dict(), []))
    done.set()
    looking.join()
    assert seen <= {1, 2, 3, 4}


def test_what_was_asked_in_vain_is_withdrawn() -> None:
    """"Nothing was changed" stays true: it does not happen a moment later."""
    requests, done = Requests(), []
    with pytest.raises(NotNow, match="nothing was changed"):
        requests.wait_for(lambda: done.append(1), 0.02)
    requests.answer()
    assert done == []
    requests.close()
    with pytest.raises(NotNow):
        requests.wait_for(lambda: done.append(1), 60.0)


def test_a_loop_goes_on_whatever_it_meets() -> None:
    turns: list[int] = []

    def work() -> None:
        turns.append(1)
        raise OSError(28, "No space left on device")

    loops = Loops(quiet_s=0.2)
    stuck = threading.Event()
    loops.start("stumbles", work, 0.001)
    loops.start("stuck", lambda: stuck.wait(60) and None, 0.001)
    wait_for(lambda: len(turns) > 5)
    wait_for(lambda: loops.quiet() == ["stuck"])
    stuck.set()
    wait_for(lambda: loops.quiet() == [])
    loops.stop()
