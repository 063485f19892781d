"""The machine is kept awake while something is captured, and its battery is looked at."""

import subprocess
from pathlib import Path

import pytest

from cattailer.core.errors import Away
from cattailer.engine.messages.answers import Status
from cattailer.processes.awake import Awake
from cattailer.services.desk import battery


class Engine:
    def __init__(self) -> None:
        self.state: str | None = "stopped"

    def status(self) -> Status:
        if self.state is None:
            raise Away("away")
        return Status(state=self.state)


def test_it_is_held_awake_from_the_press_until_the_end_and_never_twice() -> None:
    engine, started = Engine(), list[subprocess.Popen[bytes]]()

    def start() -> subprocess.Popen[bytes]:
        started.append(subprocess.Popen(["sleep", "60"]))
        return started[-1]

    awake = Awake(engine, start)  # type: ignore[arg-type]
    for state, count, holds in (
        ("stopped", 0, False), ("counting", 1, True), ("capturing", 1, True), ("rolling", 1, False),
        ("waiting", 2, True), (None, 2, False),
    ):
        engine.state = state
        awake.look()
        assert len(started) == count
        assert bool(started and started[-1].poll() is None) == holds
    awake.let_go()


def test_without_the_tool_nothing_is_tried(monkeypatch: pytest.MonkeyPatch) -> None:
    engine = Engine()
    engine.state = "capturing"

    monkeypatch.setattr("shutil.which", lambda _: None)
    monkeypatch.setattr(subprocess, "Popen", lambda *_, **__: pytest.fail("it was tried"))
    awake = Awake(engine)  # type: ignore[arg-type]
    awake.look()
    assert not awake.can


def supply(folder: Path, name: str, kind: str, status: str, capacity: str) -> None:
    (folder / name).mkdir()
    for what, text in (("type", kind), ("status", status), ("capacity", capacity)):
        (folder / name / what).write_text(f"{text}\n")


def test_a_battery_that_runs_down_is_said(tmp_path: Path) -> None:
    assert battery.low(tmp_path / "none") is None
    supply(tmp_path, "AC", "Mains", "Unknown", "nothing")
    supply(tmp_path, "BAT0", "Battery", "Charging", "12")
    assert battery.low(tmp_path) is None
    supply(tmp_path, "BAT1", "Battery", "Discharging", "80")
    assert battery.low(tmp_path) is None
    supply(tmp_path, "BAT2", "Battery", "Discharging", "17")
    assert battery.low(tmp_path) == 17
