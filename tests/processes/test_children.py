"""Processes end with the one that started them, or are found at the next start; nobody else's is ever signalled."""

import logging
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from cattailer.core.errors import Refusal
from cattailer.media import mark
from cattailer.processes import children, home
from cattailer.processes.postgres import Postgres
from cattailer.services.desk import logs
from tests.helpers.studio import ROOT
from tests.helpers.waiting import wait_for

SLEEPER = "import time; time.sleep(60)"
ENVIRONMENT = {**os.environ, "PYTHONPATH": str(ROOT / "src")}


def _gone(pid: int) -> bool:
    try:
        return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
    except OSError:
        return True


def test_a_child_ends_when_its_parent_is_killed(tmp_path: Path) -> None:
    script = (
        "import subprocess, sys, time, signal\n"
        "from cattailer.processes.children import ending_with_parent\n"
        f"child = subprocess.Popen([sys.executable, '-c', {SLEEPER!r}], preexec_fn=ending_with_parent(signal.SIGTERM))\n"
        f"open({str(tmp_path / 'pid')!r}, 'w').write(str(child.pid))\n"
        "time.sleep(60)\n"
    )
    parent = subprocess.Popen([sys.executable, "-c", script], start_new_session=True, env=ENVIRONMENT)
    wait_for(lambda: (tmp_path / "pid").exists() and (tmp_path / "pid").read_text())
    child = int((tmp_path / "pid").read_text())
    assert not _gone(child)
    parent.kill()
    parent.wait()
    wait_for(lambda: _gone(child))


def _holder(lock: Path, mark_text: str) -> "subprocess.Popen[bytes]":
    script = f"from pathlib import Path; from cattailer.processes.children import claim; x = claim(Path({str(lock)!r})); {SLEEPER}"
    held = subprocess.Popen([sys.executable, "-c", script, mark_text], env=ENVIRONMENT)
    wait_for(lambda: lock.exists() and lock.read_text().strip() == str(held.pid))
    return held


def test_what_a_killed_cattailer_left_behind_is_ended(tmp_path: Path) -> None:
    held = _holder(tmp_path / "lock", "our-engine")
    children.end_holder(tmp_path / "lock", "engine", "our-engine")
    assert held.wait(5) == -signal.SIGTERM
    children.end_holder(tmp_path / "lock", "engine", "our-engine")
    children.end_holder(tmp_path / "nothing", "engine", "our-engine")


def test_nobody_elses_process_is_signalled(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(children, "_END_S", 0.3)
    held = _holder(tmp_path / "lock", "somebody else")
    with pytest.raises(Refusal, match="still holds"):
        children.end_holder(tmp_path / "lock", "engine", "our-engine")
    assert held.poll() is None
    held.kill()
    held.wait()


def test_a_stale_number_of_a_server_is_nobodys_death(tmp_path: Path) -> None:
    """The process with that number by now is called postgres, and works elsewhere."""
    (tmp_path / "db" / "data").mkdir(parents=True)
    other = subprocess.Popen([sys.executable, "-c", SLEEPER, "/usr/lib/postgresql/postgres"], cwd="/")
    (tmp_path / "db" / "data" / "postmaster.pid").write_text(f"{other.pid}\n")
    Postgres(tmp_path / "db", tmp_path / "log")._end_leftover()
    time.sleep(0.1)
    assert other.poll() is None
    other.kill()
    other.wait()


def test_a_media_folder_that_is_gone_is_not_made_again(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("CATTAILER_HOME", str(tmp_path / "home"))
    made = home.prepare()
    noted = home.media_id(made)
    assert mark.read_mark(made.media) == noted
    assert home.media_id(home.prepare()) == noted
    made.media.rename(tmp_path / "its disk")
    again = home.prepare()
    assert not again.media.exists()
    assert home.media_id(again) == noted
    assert again.engine_lock.parent == again.root
    again.media.mkdir()
    assert mark.read_mark(again.media) == "", "an empty mount point is not it"


def test_a_log_on_a_full_disk_hurts_nobody(tmp_path: Path) -> None:
    before = logging.getLogger().handlers[:]
    logs.configure(tmp_path, "engine")
    (handler,) = logging.getLogger().handlers

    class Full:
        def write(self, _: str) -> None:
            raise OSError(28, "No space left on device")

        def flush(self) -> None:
            raise OSError(28, "No space left on device")

    logging.getLogger("x").warning("fine")
    assert "fine" in (tmp_path / "engine.log").read_text()
    handler.stream = Full()  # type: ignore[attr-defined]
    logging.getLogger("x").warning("is not told, and raises nothing")
    logging.getLogger().handlers[:] = before


def test_two_engines_never_hold_one_folder(tmp_path: Path) -> None:
    first = children.claim(tmp_path / "lock")
    assert first is not None
    assert children.claim(tmp_path / "lock") is None
    assert (tmp_path / "lock").read_text() == f"{os.getpid()}\n"
    first.close()
    again = children.claim(tmp_path / "lock")
    assert again is not None
    again.close()
