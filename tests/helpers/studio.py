"""A whole Cattailer as ``./cattailer demo`` starts it, and what is done to its pages."""

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import urllib.parse
import urllib.request
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from playwright.sync_api import Page, expect

from cattailer.media import journal
from tests.helpers.waiting import wait_for

ROOT = Path(__file__).parents[2]
CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--autoplay-policy=no-user-gesture-required"]


@dataclass
class Studio:
    """``url`` is for this machine, ``outside`` and ``secure`` are for others."""

    url: str
    home: Path
    process: subprocess.Popen[str]
    outside: str
    secure: str

    def kill(self, name: str, how: int = signal.SIGKILL) -> None:
        """Kills the engine, the web or the database as a crash would, or makes it hang with SIGSTOP."""
        for child in self.processes(name):
            with suppress(ProcessLookupError):
                os.kill(child, how)

    def processes(self, name: str) -> list[int]:
        """Those of the engine, the web or the database."""
        marks = {"database": "/postgres -D", "engine": "cattailer.processes.engine_main", "web": "cattailer.web.front.serving"}
        found = []
        for child in self._family(self.process.pid):
            with suppress(FileNotFoundError):  # some end while they are looked at
                if marks[name] in Path(f"/proc/{child}/cmdline").read_text().replace("\0", " "):
                    found.append(child)
        return found

    def _family(self, pid: int) -> list[int]:
        found = []
        with suppress(OSError):  # some end while they are looked at
            for task in Path(f"/proc/{pid}/task").iterdir():
                for child in map(int, (task / "children").read_text().split()):
                    found += [child, *self._family(child)]
        return found

    def post(self, path: str, **fields: str) -> None:
        """As a page would, without one."""
        urllib.request.urlopen(f"{self.url}{path}", urllib.parse.urlencode(fields).encode())

    @property
    def journals(self) -> list[Path]:
        return sorted(journal.find_all(self.home / "media"))


def home_of_its_own() -> Path:
    """Where a user of its own can get to it, for tests that are run as root."""
    return Path(tempfile.mkdtemp(prefix="cattailer-home-"))


def environment(home: Path) -> dict[str, str]:
    """For a studio of a test. Where the checkout or Python is closed to others it stays root."""
    needed = [ROOT, *ROOT.parents, *Path(sys.executable).resolve().parents]
    closed = os.geteuid() == 0 and not all(folder.stat().st_mode & 0o001 for folder in needed)
    return {
        **os.environ, "CATTAILER_HOME": str(home), "PYTHONPATH": str(ROOT / "src"), "CATTAILER_QUEUE_MS": "inf",
        **({"CATTAILER_AS_ROOT": "1"} if closed else {}),
    }


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def state_is(page: Page, state: str, seconds: float = 15) -> None:
    page.wait_for_function(
        "state => document.body.dataset.state === state", arg=state, timeout=seconds * 1000, polling=50
    )


def told(page: Page) -> None:
    """Waits until frames come: the page's script runs, and its line is open."""
    page.wait_for_function("() => window.cattailerStats?.frames > 0", polling=50)


def follow(page: Page, link: str, exact: bool = False) -> None:
    """Goes by a link, until the page that it leads to is told what moves: what is pressed before its script runs
    reaches nobody."""
    page.evaluate("window.cattailerStats = undefined")
    page.get_by_role("link", name=link, exact=exact).click()
    told(page)


def open_demo(page: Page, studio: Studio) -> None:
    """The Capture stage, stopped, with nothing armed."""
    if not page.request.post(f"{studio.url}/s/1/enter").ok:  # a test before this one failed while its session rolled
        page.request.post(f"{studio.url}/api/1/stop")
        page.request.post(f"{studio.url}/s/1/enter")
    page.goto(f"{studio.url}/s/1/")
    told(page)
    if page.evaluate("document.body.dataset.state") != "stopped":
        page.keyboard.press("Shift+Space" if page.evaluate("document.body.dataset.state") == "capturing" else "Space")
        state_is(page, "stopped")
    page.evaluate("fetch('/s/1/tracks/arm', {method: 'POST', body: new URLSearchParams({armed: 'false'})})")
    page.wait_for_function("() => document.querySelectorAll('.arm:checked').length === 0")
    heard_on(page, 0.2)


def moved_on(page: Page, seconds: float) -> None:
    """Waits until the timeline has moved that far."""
    read = "Number(document.getElementById('samples').dataset.position)"
    start, rate_hz = page.evaluate(f"[{read}, Number(document.body.dataset.rate)]")
    page.wait_for_function(f"until => {read} >= until", arg=start + seconds * rate_hz, timeout=60_000 + 3000 * seconds, polling=50)


def captured(page: Page, seconds: float) -> None:
    """Captures for that long, by keyboard."""
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    moved_on(page, seconds)
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped")


def heard_on(page: Page, seconds: float) -> None:
    """Waits until that much more sound was told to the page."""
    samples, rate_hz = page.evaluate("[cattailerStats.samples, Number(document.body.dataset.rate)]")
    until = samples + seconds * rate_hz
    page.wait_for_function("until => cattailerStats.samples >= until", arg=until, timeout=60_000 + 3000 * seconds, polling=50)


def hears(page: Page) -> None:
    """The page's AudioWorklet receives sound and plays it."""
    page.wait_for_function("() => window.cattailerListen?.heard > 24000 && cattailerListen.loudest > 0.01", timeout=60_000)
    expect(page.locator("#listen-words")).to_contain_text("ms behind")


def new_session(page: Page, studio: Studio, name: str) -> str:
    """Makes a session by the page; returns its address without a stage."""
    page.goto(studio.url)
    page.get_by_label("Name").fill(name)
    page.get_by_role("button", name="Make the session").click()
    page.wait_for_url("**/patch/")
    return page.url.removesuffix("/patch/")


def post(page: Page, path: str, **fields: object) -> None:
    page.evaluate(
        "([path, fields]) => fetch(path, {method: 'POST', body: new URLSearchParams(fields)})",
        [path, {k: str(v) for k, v in fields.items()}],
    )


def decoded(page: Page, studio: Studio, mix: str, first: int, last: int) -> NDArray[np.float64]:
    """The left side of a mix as this browser gets and decodes it: of what comes, the samples [first, last)."""
    left = page.evaluate(
        """([address, mix, first, last]) => new Promise((done, fail) => {
            const socket = new WebSocket(address);
            const parts = [];
            socket.binaryType = "arraybuffer";
            socket.onopen = () => socket.send(JSON.stringify({ listen: mix }));
            socket.onmessage = ({ data }) => {
                if (!(data instanceof ArrayBuffer)) return;
                const pcm = new Float32Array(data);
                for (let n = 0; n < pcm.length; n += 2) parts.push(pcm[n]);
                if (parts.length >= last) { socket.close(); done(parts.slice(first, last)); }
            };
            setTimeout(() => fail(`only ${parts.length} samples came`), 30000);
        })""",
        [studio.url.replace("http", "ws") + "/s/1/live", int(mix), first, last],
    )
    return np.array(left, np.float64)


def imported(studio: Studio, session: str, path: Path) -> None:
    """A sound file onto tracks of the session at that address, as its Import page does it."""
    address, data = f"{session}/imports/", path.read_bytes()
    offered = urllib.request.urlopen(address, urllib.parse.urlencode({"name": path.name, "bytes": len(data)}).encode())
    number = json.loads(offered.read())["number"]
    urllib.request.urlopen(urllib.request.Request(f"{address}{number}/sound", data, method="PUT"))
    urllib.request.urlopen(f"{address}begin", b"by=place&at=1")
    wait_for(lambda: b'data-file-state="done"' in urllib.request.urlopen(f"{address}files").read())
