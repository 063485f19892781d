"""500 hostile connections of every kind, held and opened again: how soon Stop is answered, whether pages of keyed devices are,
how old meters are, and what a capture of ten tracks loses beside a bare callback.

    python bench/held.py [--connections 500] [--seconds 30]

It starts a studio of its own with ``--host 0.0.0.0``. The hostile ones come from outside without a key, and half of them from this
machine, where none is needed. First it measures without them, in the same run.
"""

import argparse
import asyncio
import contextlib
import json
import shutil
import signal
import ssl
import subprocess
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import Counter
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1]))  # for the tests' helpers

from common import BARE, spread, tell
from tests.helpers.studio import ROOT, environment, free_port
from websockets.asyncio.client import connect

from cattailer.processes.network import outward_address

TRUSTING = ssl._create_unverified_context()
UPGRADE = (
    b"GET /s/1/live HTTP/1.1\r\nHost: %s\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
    b"Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\nSec-WebSocket-Version: 13\r\n\r\n"
)
HELD: dict[str, bytes] = {
    "nothing": b"", "half a head": b"GET / HTTP/1.1\r\nHost: %s\r\nX-A: ",
    "half a body": b"POST /s/1/stop HTTP/1.1\r\nHost: %s\r\nContent-Length: 90\r\n\r\npres",
    "a body in chunks": b"POST /sessions HTTP/1.1\r\nHost: %s\r\nTransfer-Encoding: chunked\r\n\r\n5\r\nabcde\r\n",
    "kept open": b"GET /door HTTP/1.1\r\nHost: %s\r\n\r\n", "an unread file": b"GET /static/app.css HTTP/1.1\r\nHost: %s\r\n\r\n" * 20,
    "a line": UPGRADE, "a line with a message without an end": UPGRADE + b"\x81\xff\x00\x00\x00\x00\x12\xc0\x00\x00\0\0\0\0",
    "a line that floods": UPGRADE + b"\x81\x8f\0\0\0\0" + b'{"levels":true}',
    "half a handshake": b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03", "a code at the door": (
        b"POST /door HTTP/1.1\r\nHost: %s\r\nContent-Type: application/x-www-form-urlencoded\r\nContent-Length: 11\r\n\r\ncode=000000"
    ),
}


class Studio:
    def __init__(self, home: Path) -> None:
        self.port, self.secure_port, self.outside = free_port(), free_port(), outward_address()
        self.env = {**environment(home), "CATTAILER_QUEUE_MS": "500"}
        self.here = f"http://127.0.0.1:{self.port}"
        self.process = subprocess.Popen(
            [sys.executable, "-m", "cattailer", "demo", "--host", "0.0.0.0", "--port", str(self.port), "--https-port",
             str(self.secure_port)], env=self.env, stdout=subprocess.PIPE, text=True, cwd=ROOT,
        )
        assert self.process.stdout is not None
        next(line for line in self.process.stdout if "ready at" in line)
        self.cookie = self.come_in()

    def come_in(self) -> str:
        """As an engineer's device, over HTTPS."""
        told = subprocess.run([sys.executable, "-m", "cattailer", "pair", "--json"], env=self.env, capture_output=True, text=True, check=True)
        body = urllib.parse.urlencode({"code": json.loads(told.stdout)["code"]}).encode()
        asked = urllib.request.Request(f"https://{self.outside}:{self.secure_port}/door", body)
        opener = urllib.request.build_opener(_Stay(), urllib.request.HTTPSHandler(context=TRUSTING))
        with contextlib.suppress(urllib.error.HTTPError):
            opener.open(asked)
        return _Stay.cookie

    def get(self, path: str) -> bytes:
        """By the keyed device, on a connection of its own each time."""
        return self._ask(path, None)

    def post(self, path: str, **fields: object) -> None:
        self._ask(path, urllib.parse.urlencode(fields).encode())

    def _ask(self, path: str, body: bytes | None) -> bytes:
        asked = urllib.request.Request(f"https://{self.outside}:{self.secure_port}{path}", body, {"Cookie": self.cookie})
        with urllib.request.urlopen(asked, timeout=20, context=TRUSTING) as answer:
            found: bytes = answer.read()
        return found

    def end(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait(40)


class _Stay(urllib.request.HTTPRedirectHandler):
    cookie = ""

    def redirect_request(self, req: Any, fp: Any, code: Any, msg: Any, headers: Any, newurl: Any) -> None:
        found: SimpleCookie = SimpleCookie(headers["Set-Cookie"])
        _Stay.cookie = "; ".join(f"{name}={value.value}" for name, value in found.items())


async def hold(host: str, port: int, said: bytes, going: asyncio.Event, tally: Counter[str], kind: str) -> None:
    """One hostile connection, opened again as often as it is closed."""
    if b"%s" in said:
        said = said.replace(b"%s", f"{host}:{port}".encode())
    while not going.is_set():
        try:
            reader, writer = await asyncio.open_connection(host, port, limit=1024)
            tally[f"{kind}, opened"] += 1
            writer.write(said)
            while not going.is_set():
                if kind == "an unread file":
                    await asyncio.sleep(1.0)
                    if writer.transport.is_closing():
                        break
                    writer.write(b"G")
                    continue
                with contextlib.suppress(TimeoutError):
                    async with asyncio.timeout(1.0):
                        if not await reader.read(65536):
                            break
                        continue
                writer.write(b"\x81\x8f\0\0\0\0" + b'{"levels":true}' if "floods" in kind else b"x")
            writer.transport.abort()
        except OSError:
            tally[f"{kind}, refused"] += 1
        await asyncio.sleep(0.2)


async def watch(studio: Studio, seconds: float, ages_ms: list[float]) -> None:
    """How old frames are when they come to the keyed device."""
    address = f"wss://{studio.outside}:{studio.secure_port}/s/1/live"
    async with connect(address, ssl=TRUSTING, additional_headers={"Cookie": studio.cookie}) as line:
        until = time.monotonic() + seconds
        async for text in line:
            told = json.loads(text)
            if told["topic"] == "frame":
                ages_ms.append(1000 * (time.time() - told["t"]))
                await line.send(json.dumps({"ack": told["n"]}))
            if time.monotonic() > until:
                return


def capture(studio: Studio, seconds: float) -> dict[str, Any]:
    """Pages are asked for and Stop is pressed meanwhile and after; what the capture lost, beside a bare callback."""
    studio.post("/s/1/tracks/arm", armed="true")
    bare = subprocess.Popen([sys.executable, "-c", BARE, str(128 / 48000), str(seconds), "0.5"], stdout=subprocess.PIPE, text=True)
    studio.post("/s/1/capture")
    pages_ms, stops_ms = list[float](), list[float]()
    until = time.monotonic() + seconds
    while time.monotonic() < until:
        began = time.perf_counter()
        studio.get("/s/1/takes/")
        pages_ms.append(1000 * (time.perf_counter() - began))
        time.sleep(0.1)
    for _ in range(40):
        began = time.perf_counter()
        studio.post("/s/1/stop")
        stops_ms.append(1000 * (time.perf_counter() - began))
        studio.post("/s/1/roll")
        time.sleep(0.05)
    studio.post("/s/1/stop")
    lost, late = bare.communicate()[0].split()
    runs = json.loads(studio.get("/api/1/runs"))["runs"]
    return {
        "stop_ms": spread(stops_ms), "page_ms": spread(pages_ms), "dropouts": runs[0]["dropouts"] if runs else None,
        "captured_s": round(runs[0]["samples"] / 48000, 1) if runs else None, "bare_dropouts": int(lost), "bare_worst_ms": float(late),
    }


async def attack(here: int, outside: str, count: int) -> None:
    """Until its input ends; then it tells what it did."""
    going, tally = asyncio.Event(), Counter[str]()
    kinds = list(HELD)
    tasks = [
        asyncio.create_task(hold("127.0.0.1" if n % 2 else outside, here, HELD[kinds[n // 2 % len(kinds)]], going, tally, kinds[n // 2 % len(kinds)]))
        for n in range(count)
    ]
    await asyncio.get_running_loop().run_in_executor(None, sys.stdin.read)
    going.set()
    await asyncio.gather(*tasks, return_exceptions=True)
    json.dump(tally, sys.stdout)


def measure(studio: Studio, seconds: float) -> dict[str, Any]:
    ages_ms = list[float]()
    watching = threading.Thread(target=lambda: asyncio.run(watch(studio, seconds, ages_ms)))
    watching.start()
    found = capture(studio, seconds)
    watching.join()
    return {**found, "frames": len(ages_ms), "meter_age_ms": spread(ages_ms)}


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--connections", type=int, default=500)
    parser.add_argument("--seconds", type=float, default=30)
    parser.add_argument("--attack", nargs=2, metavar=("PORT", "HOST"), help=argparse.SUPPRESS)
    wanted = parser.parse_args()
    if wanted.attack:
        asyncio.run(attack(int(wanted.attack[0]), wanted.attack[1], wanted.connections))
        return
    home = Path(tempfile.mkdtemp(prefix="cattailer-held-"))
    studio = Studio(home)
    try:
        alone = measure(studio, wanted.seconds)
        hostile = subprocess.Popen(
            [sys.executable, __file__, "--attack", str(studio.port), studio.outside, "--connections", str(wanted.connections)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        )
        time.sleep(5.0)
        held = measure(studio, wanted.seconds)
        tally = json.loads(hostile.communicate("")[0])
    finally:
        studio.end()
        shutil.rmtree(home)
    tell(connections=wanted.connections, seconds=wanted.seconds, alone=alone, held=held, hostile=tally)


if __name__ == "__main__":
    main()
