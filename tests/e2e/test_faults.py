"""What is killed comes back, and what was captured is kept."""

import http.client
import json
import os
import signal
import subprocess
import sys
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
import simple_websocket
import soundfile
from playwright.sync_api import Page, expect

from cattailer.media import journal
from tests.helpers.studio import ROOT, Studio, free_port, moved_on, open_demo, state_is
from tests.helpers.terminal import run_cli
from tests.helpers.waiting import wait_for

pytestmark = pytest.mark.xdist_group("e2e")


def capture_all(page: Page, studio: Studio) -> Path:
    open_demo(page, studio)
    before = set(studio.journals)
    page.keyboard.press("Shift+X")
    expect(page.locator(".arm:checked")).to_have_count(10)
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    (path,) = set(studio.journals) - before
    wait_for(lambda: (story := journal.read(path)) and story.samples > 2 * story.header.rate_hz)
    return path


def test_killing_the_web_leaves_the_capture_alone(page: Page, studio: Studio) -> None:
    path = capture_all(page, studio)
    studio.kill("web")
    page.wait_for_function("cattailerStats.reconnects === 1", timeout=30_000)
    state_is(page, "capturing")
    assert journal.is_live(path)
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped")
    story = wait_for(lambda: (s := journal.read(path)) and s.ended and s)
    assert isinstance(story, journal.RunStory)
    assert not story.recovered
    expect(page.locator("#deck-log")).to_contain_text(f"take {story.header.number}")


def test_killing_the_engine_keeps_all_but_the_last_moment(page: Page, studio: Studio) -> None:
    path = capture_all(page, studio)
    captured = page.evaluate("""() => new Promise((done) => {
      const socket = new WebSocket(location.origin.replace('http', 'ws') + '/s/1/live');
      socket.onmessage = ({data}) => { const m = JSON.parse(data); if (m.topic === 'frame') { done(m.position); } };
    })""")
    studio.kill("engine")
    story = wait_for(lambda: (s := journal.read(path)) and s.ended and s)
    assert isinstance(story, journal.RunStory)
    assert story.recovered
    assert story.samples > captured - 48000
    files = sorted(path.parent.glob("*.wav"))
    assert len(files) == 10
    lengths = [soundfile.info(str(f)).frames for f in files]
    assert max(lengths) == story.samples, "each file keeps all that reached it"
    assert min(lengths) > captured - 48000
    state_is(page, "stopped", 30)
    expect(page.locator("#deck-log")).to_contain_text("recovered", timeout=20_000)
    wait_for(lambda: page.evaluate("document.getElementById('away').hidden"))


def test_an_engine_that_hangs_is_started_again(page: Page, studio: Studio) -> None:
    """It is stopped and not dead, so nothing but its silence tells."""
    path = capture_all(page, studio)
    studio.kill("engine", signal.SIGSTOP)
    expect(page.locator("#away-words")).to_contain_text("engine is silent", timeout=15_000)
    wait_for(lambda: journal.glance(path)[1])
    state_is(page, "stopped", 30)
    expect(page.locator("#deck-log")).to_contain_text("recovered", timeout=30_000)


def test_a_database_that_hangs_is_started_again(page: Page, studio: Studio) -> None:
    path = capture_all(page, studio)
    studio.kill("database", signal.SIGSTOP)
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped", 30)
    wait_for(lambda: journal.glance(path)[1])
    expect(page.locator("#deck-log")).to_contain_text(f"take {journal.read(path).header.number}", timeout=60_000)


def test_whoever_kills_the_supervisor_leaves_nothing_behind(tmp_path: Path) -> None:
    environment = {
        **os.environ, "CATTAILER_HOME": str(tmp_path), "PYTHONPATH": str(ROOT / "src"), "CATTAILER_QUEUE_MS": "inf",
    }
    for kill in (True, False):
        process = subprocess.Popen(
            [sys.executable, "-m", "cattailer", "serve", "--port", str(free_port()), "--fast-database"],
            env=environment, stdout=subprocess.PIPE, text=True,
        )
        assert process.stdout is not None
        wait_for(lambda out=process.stdout: "ready at" in out.readline())  # type: ignore[misc]
        process.send_signal(signal.SIGKILL if kill else signal.SIGINT)
        process.wait(30)
        wait_for(lambda: not subprocess.run(
            ["pgrep", "-f", str(tmp_path)], capture_output=True, text=True, check=False,
        ).stdout.split())


def test_a_flood_of_messages_closes_the_line_and_nothing_is_unpacked(studio: Studio) -> None:
    address = f"{studio.url.replace('http', 'ws')}/s/1/live"
    asked = http.client.HTTPConnection("127.0.0.1", int(studio.url.rpartition(":")[2]), timeout=10)
    asked.request("GET", "/s/1/live", headers={
        "Upgrade": "websocket", "Connection": "Upgrade", "Sec-WebSocket-Key": "dGhlIHNhbXBsZSBub25jZQ==",
        "Sec-WebSocket-Version": "13", "Sec-WebSocket-Extensions": "permessage-deflate",
    })
    answer = asked.getresponse()
    assert (answer.status, answer.getheader("Sec-WebSocket-Extensions")) == (101, None), "400 kB would be 400 MB"
    asked.close()

    def until_closed(message: str, times: int) -> None:
        socket = simple_websocket.Client(address)
        for _ in range(times):
            socket.send(message)
            socket.receive(timeout=0)
        wait_for(lambda: socket.receive(timeout=0.01) and False)

    for message, times in (('{"levels": true}', 20_000), ('{"x": "' + "x" * 10_000 + '"}', 1)):
        with pytest.raises((simple_websocket.ConnectionClosed, OSError)):
            until_closed(message, times)


def test_killing_the_database_leaves_the_capture_alone(page: Page, studio: Studio) -> None:
    path = capture_all(page, studio)
    studio.kill("database")
    moved_on(page, 0.5)
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped", 20)
    story = wait_for(lambda: (s := journal.read(path)) and s.ended and s)
    assert isinstance(story, journal.RunStory)
    assert not story.recovered
    expect(page.locator("#deck-log")).to_contain_text(f"take {story.header.number}", timeout=60_000)


@pytest.mark.parametrize("wish", ["", "listen", "{}", '{"listen": "loudly"}', '{"listen": true, "also": 1}', "[1]", "\0"])
def test_malformed_wishes_over_the_socket_are_told(studio: Studio, wish: str) -> None:
    socket = simple_websocket.Client(f"{studio.url.replace('http', 'ws')}/s/1/live")
    try:
        socket.send(wish)
        problem = next(m for _ in range(200) if (m := json.loads(socket.receive(timeout=5)))["topic"] == "problem")
        assert "Reload" in problem["message"]
        socket.send('{"listen": 1}')
        assert any(isinstance(socket.receive(timeout=5), bytes) for _ in range(100))
    finally:
        socket.close()


def test_more_pages_than_there_is_room_for_leave_room_for_stop(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    address = f"{studio.url.replace('http', 'ws')}/s/1/live"
    lines = []
    try:
        for _ in range(90):
            with suppress(simple_websocket.ConnectionClosed):
                lines.append(simple_websocket.Client(address))
        words = [m for line in lines[-5:] for m in heard(line) if m["topic"] == "problem"]
        assert "pages are open already" in words[0]["message"]
        page.keyboard.press("Space")
        state_is(page, "rolling")
        page.keyboard.press("Space")
        state_is(page, "stopped")
        studio.post("/s/1/stop")
    finally:
        for line in lines:
            with suppress(simple_websocket.ConnectionClosed):
                line.close()
    again = wait_for(lambda: next((m for m in heard(simple_websocket.Client(address)) if m["topic"] == "frame"), None))
    assert again["topic"] == "frame"


def heard(line: simple_websocket.Client) -> list[dict[str, Any]]:
    """What comes within a second, until the line is closed."""
    out = []
    with suppress(simple_websocket.ConnectionClosed):
        while len(out) < 20 and (text := line.receive(timeout=1)) is not None:
            if isinstance(text, str):
                out.append(json.loads(text))
    return out


def test_the_line_of_a_session_that_is_not_there(page: Page, studio: Studio) -> None:
    page.goto(studio.url)
    told = page.evaluate("""() => new Promise((done) => {
      const socket = new WebSocket(location.origin.replace('http', 'ws') + '/s/999/live');
      socket.onmessage = ({data}) => done(JSON.parse(data).message);
    })""")
    assert "no session" in told


def test_starting_where_it_cannot_is_told(tmp_path: Path, studio: Studio) -> None:
    port = studio.url.rsplit(":", 1)[1]
    taken = run_cli("serve", "--port", port, home=tmp_path / "other")
    assert (taken.returncode, taken.stdout) == (1, "")
    assert f"Port {port}" in taken.stderr
    assert "--port" in taken.stderr
    twice = run_cli("serve", "--port", "1", home=studio.home)
    assert twice.returncode == 1
    assert "already running" in twice.stderr
    assert "already running" in run_cli("recover", home=studio.home).stderr
    nowhere = run_cli("serve", home=Path("/proc/nowhere"))
    assert nowhere.returncode == 1
    assert "cannot be written" in nowhere.stderr
    broken = tmp_path / "broken"
    (broken / "db" / "data").mkdir(parents=True)
    (broken / "db" / "data" / "PG_VERSION").write_text("15\n")
    (broken / "db" / "password").write_text("x")
    dead = run_cli("recover", home=broken)
    assert dead.returncode == 1
    assert "does not start" in dead.stderr
    assert dead.stderr.count("\n") == 1
