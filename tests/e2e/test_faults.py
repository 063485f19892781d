"""What is killed comes back, and what was captured is kept."""

import http.client
import json
import shutil
import signal
import urllib.request
from collections import deque
from contextlib import ExitStack, suppress
from pathlib import Path
from typing import Any

import pytest
import soundfile
from playwright.sync_api import Page, expect
from websockets.exceptions import ConnectionClosed, ConnectionClosedError
from websockets.sync.client import ClientConnection, connect

from cattailer.media import journal
from tests.helpers.studio import Studio, home_of_its_own, moved_on, open_demo, state_is
from tests.helpers.terminal import run_cli
from tests.helpers.waiting import wait_for


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
    page.wait_for_function("window.cattailerStats?.reconnects >= 1", timeout=30_000)
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
    expect(page.locator("#away-words")).to_contain_text("engine has stopped responding", timeout=15_000)
    assert page.evaluate("document.body.dataset.state") == "stopped", "an engine that is gone captures nothing"
    wait_for(lambda: journal.glance(path)[1])
    state_is(page, "stopped", 30)
    expect(page.locator("#deck-log")).to_contain_text("recovered", timeout=30_000)


def test_a_database_that_hangs_is_started_again(page: Page, studio: Studio) -> None:
    """Connections that it has already go on answering; it is new ones that wait."""
    path = capture_all(page, studio)
    hanging = studio.processes("database")
    studio.kill("database", signal.SIGSTOP)
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped", 30)
    wait_for(lambda: journal.glance(path)[1])
    expect(page.locator("#deck-log")).to_contain_text(f"take {journal.read(path).header.number}", timeout=60_000)
    assert wait_for(lambda: set(studio.processes("database")) - set(hanging), 60)
    wait_for(lambda: page.request.get(f"{studio.url}/s/1/capture/rows").ok)


def test_what_a_hand_moves_while_the_web_is_told_to_end_is_written_down(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.goto("about:blank")
    with connect(f"{studio.url.replace('http', 'ws')}/s/1/live") as line:
        line.send('{"move": [["track:7", "", "fader_db", -21.0]]}')
        assert heard(line)
        studio.kill("web", signal.SIGTERM)
        with suppress(ConnectionClosed):
            deque(line, maxlen=0)

    def sheet() -> str:
        try:
            return str(urllib.request.urlopen(f"{studio.url}/s/1/listen/ears", timeout=5).read().decode())
        except OSError:
            return ""

    assert "Harmonium in Main mix: −21" in wait_for(sheet)
    studio.post("/s/1/undo")
    assert "Harmonium in Main mix: 0" in wait_for(sheet)


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
        with connect(address) as line:
            for _ in range(times):
                line.send(message)
            for _ in line:
                pass

    for message, times in (('{"levels": true}', 20_000), ('{"x": "' + "x" * 10_000 + '"}', 1)):
        with pytest.raises((ConnectionClosedError, OSError)):
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
    with connect(f"{studio.url.replace('http', 'ws')}/s/1/live") as line:
        line.send(wish)
        problem = next(m for _ in range(200) if (m := json.loads(line.recv(timeout=5)))["topic"] == "problem")
        assert "Reload" in problem["message"]
        line.send('{"listen": 1}')
        assert any(isinstance(line.recv(timeout=5), bytes) for _ in range(100))


def test_more_pages_than_there_is_room_for_leave_room_for_stop(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    address = f"{studio.url.replace('http', 'ws')}/s/1/live"
    with ExitStack() as open_lines:
        lines = [open_lines.enter_context(connect(address, close_timeout=0.1)) for _ in range(90)]
        words = [m for line in lines[-5:] for m in heard(line) if m["topic"] == "problem"]
        assert "pages are open already" in words[0]["message"]
        page.keyboard.press("Space")
        state_is(page, "rolling")
        page.keyboard.press("Space")
        state_is(page, "stopped")
        studio.post("/s/1/stop")
    with connect(address) as last:
        assert wait_for(lambda: next((m for m in heard(last) if m["topic"] == "frame"), None))


def heard(line: ClientConnection) -> list[dict[str, Any]]:
    """What comes within a second, until the line is closed."""
    out = []
    with suppress(ConnectionClosed, TimeoutError):
        while len(out) < 20:
            if isinstance(text := line.recv(timeout=1), str):
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
    other = home_of_its_own()
    port = studio.url.rsplit(":", 1)[1]
    taken = run_cli("serve", "--port", port, home=other)
    assert (taken.returncode, taken.stdout) == (1, "")
    assert f"Port {port}" in taken.stderr
    assert "--port" in taken.stderr
    shutil.rmtree(other)
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
