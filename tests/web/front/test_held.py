"""What a connection may hold: half a head, half a body, an answer that nobody reads, a message without an end."""

import collections
import http.client
import json
import socket
import ssl
import time
from contextlib import ExitStack, suppress
from pathlib import Path
from typing import Any
from unittest.mock import Mock

import pytest
from websockets.exceptions import ConnectionClosed, InvalidStatus
from websockets.sync.client import ClientConnection, connect

from cattailer.core.access.rights import PLAYER_FRAME, PLAYER_TOPICS
from cattailer.core.access.roles import Role
from cattailer.engine.messages.commands import Roll
from cattailer.processes import certificate
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, opening, sessions
from cattailer.services.stages.timing import rates
from cattailer.web.front import front, held
from cattailer.web.front.gate import COOKIE, Policy
from cattailer.web.front.serving import secure_context
from cattailer.web.live import hub
from cattailer.web.live.line import Line
from tests.helpers.served import at_a_port
from tests.helpers.waiting import wait_for


def connected(port: int, said: bytes) -> socket.socket:
    made = socket.create_connection(("127.0.0.1", port), timeout=20)
    made.sendall(said)
    return made


def ended(line: socket.socket) -> bytes:
    """What came until the other end closed it."""
    got = b""
    with suppress(ConnectionError):
        while more := line.recv(65536):
            got += more
    line.close()
    return got


def status(port: int, path: str, method: str = "GET") -> int:
    asked = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
    asked.request(method, path)
    found = asked.getresponse().status
    asked.close()
    return found


def told(line: ClientConnection, topic: str) -> dict[str, Any]:
    """The next message of a topic."""
    texts = (t for _ in range(500) if isinstance(t := line.recv(timeout=5), str))
    return next(m for m in map(json.loads, texts) if m["topic"] == topic)


@pytest.mark.parametrize("said", [b"", b"G", b"GET / HTTP/1.1\r\nHost: localhost\r\nX: ", b"GET /door HTTP/1.1\r\nHost: localhost\r\n\r\nGET"])
@pytest.mark.without_engine
def test_half_a_head_is_waited_for_only_so_long(desk: Desk, monkeypatch: pytest.MonkeyPatch, said: bytes) -> None:
    monkeypatch.setattr(held, "HEAD_S", 0.3)
    with at_a_port(desk) as (_, port):
        line = connected(port, said)
        got = ended(line)
        assert got.startswith(b"HTTP/1.1 200") is (b"door" in said)


@pytest.mark.without_engine
def test_half_a_body_holds_no_thread_and_is_told(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(front, "BODY_S", 0.5)
    head = b"POST /s/1/stop HTTP/1.1\r\nHost: localhost\r\nContent-Length: 100\r\n\r\npressed="
    with at_a_port(desk) as (_, port):
        slow = [connected(port, head) for _ in range(3 * front.PAGE_THREADS)]
        assert status(port, "/door") == 200
        assert all(b" 408 " in ended(line) for line in slow)


@pytest.mark.without_engine
def test_too_much_is_refused_before_all_of_it_came(desk: Desk) -> None:
    with at_a_port(desk) as (_, port):
        line = connected(port, b"POST /sessions HTTP/1.1\r\nHost: localhost\r\nTransfer-Encoding: chunked\r\n\r\n")
        with suppress(ConnectionError):
            for _ in range(40):
                line.sendall(b"10000\r\n" + b"x" * 65536 + b"\r\n")
        assert b" 413 " in ended(line)
        for wrong in (b"\x16\x03\x01\x02\x00", b"GET\r\n\r\n", b"GET / HTTP/1.1\r\nHost: localhost\r\nA: " + b"x" * 70_000):
            assert b" 400 " in ended(connected(port, wrong))
        assert status(port, "/door") == 200


@pytest.mark.without_engine
def test_newcomers_get_in_however_many_hold_on(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(held, "MOST_UNKNOWN", 100)
    with at_a_port(desk) as (served, port):
        keeps = [connected(port, b"GET / HT") for _ in range(held.MOST_UNKNOWN + 40)]
        assert status(port, "/door") == 200
        wait_for(lambda: served.server.callers.held <= held.MOST_UNKNOWN)
        for each in keeps:
            each.close()
        wait_for(lambda: not served.server.callers.held)


@pytest.mark.without_engine
def test_whoever_has_a_key_and_holds_hundreds_loses_its_own(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(held, "MOST_KNOWN", 4)
    callers, made = held.Callers(), [Mock(name=str(n)) for n in range(8)]
    for connection, owner in zip(made, [0, 7, 3, 7, 7, 7, 3, 3], strict=True):
        callers.came(connection)
        callers.is_known(connection, owner)
        callers.is_known(connection, owner)
    ended = [n for n, connection in enumerate(made) if connection.transport.abort.called]
    assert 1 in ended, "the oldest of whoever holds most"
    assert not {0, 5, 7} & set(ended), "whoever holds one keeps it, and the newest stay"
    assert len(ended) == 4
    for connection in made:
        callers.went(connection)
    assert not callers.held


def test_nothing_waits_for_what_was_sent_before_to_be_acknowledged(desk: Desk) -> None:
    with at_a_port(desk) as (served, port):
        line = connected(port, b"")
        (connection,) = wait_for(lambda: [*served.server.callers._owner])
        sent_by = connection.transport.get_extra_info("socket")
        assert sent_by.getsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY)
        line.close()


@pytest.mark.without_engine
def test_an_answer_that_nobody_reads_is_given_up(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(held, "UNREAD_S", 0.3)
    with at_a_port(desk) as (served, port):
        line = socket.socket()
        line.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 2048)
        line.connect(("127.0.0.1", port))
        line.sendall(b"GET /static/app.css HTTP/1.1\r\nHost: localhost\r\n\r\n" * 60)
        wait_for(lambda: not served.server.callers.held)
        line.close()


def test_lines_tell_what_moves_and_one_device_has_only_so_many(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(hub, "MOST_OF_ONE", 3)
    session = demo.load(desk)
    opening.open_session(desk, session)
    with at_a_port(desk) as (served, port), ExitStack() as lines_open:
        address = f"ws://127.0.0.1:{port}/s/{session}/live"
        lines = [lines_open.enter_context(connect(address)) for _ in range(3)]
        for line in lines:
            assert told(line, "frame")["session"] == session
        with connect(address) as full:
            assert "pages are open already" in json.loads(full.recv(timeout=5))["message"]
        headers = {"Cookie": f"{COOKIE}={served.key(Role.ASSISTANT)}"}
        with connect(address, additional_headers=headers) as other:
            assert json.loads(other.recv(timeout=5)), "another device has its own"
            other.send('{"move": [["track:1", "", "fader_db", -3.0]]}')
            assert "engineer" in told(other, "problem")["message"]
        for line in lines:
            line.close()
        wait_for(lambda: not served.front.hub._lines)
        with connect(f"ws://127.0.0.1:{port}/s/99/live") as gone:
            assert "no session" in json.loads(gone.recv(timeout=5))["message"]


def test_what_goes_wrong_with_one_line_is_no_matter_to_the_others(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    with at_a_port(desk) as (_, port):
        address = f"ws://127.0.0.1:{port}/s/{session}/live"
        with connect(address) as line:
            told(line, "frame")
            for what in ("show", "tick"):
                with monkeypatch.context() as patched:
                    patched.setattr(Line, what, lambda *_: 1 / 0)
                    time.sleep(0.3)
                assert told(line, "frame")["sample"] > 0


def test_stop_waits_for_nobody_who_rolls(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    with at_a_port(desk) as (_, port), desk.engine._channels[Roll.channel]._lock:
        assert status(port, f"/s/{session}/stop", "POST") == 204


def test_a_message_without_an_end_is_not_held(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    upgrade = (
        f"GET /s/{session}/live HTTP/1.1\r\nHost: localhost\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n"
        "Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\nSec-WebSocket-Version: 13\r\n\r\n"
    ).encode()
    huge = b"\x81\xff" + (300 << 20).to_bytes(8, "big") + b"\0\0\0\0"
    parts = b"\x01\xfe\x0f\xff\0\0\0\0" + b"x" * 4095 + b"\x00\xfe\x0f\xff\0\0\0\0" + b"x" * 4095
    with at_a_port(desk) as (_, port):
        for said in (huge, parts):
            line = connected(port, upgrade + said)
            with suppress(ConnectionError):
                for _ in range(50):
                    line.sendall(b"x" * 65536)
            assert b"101 Switching" in ended(line)
        assert status(port, "/door") == 200


def test_a_player_hears_its_own_mix_and_moves_nothing_else(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    with at_a_port(desk) as (served, port):
        headers = {"Cookie": f"{COOKIE}={served.key(Role.PLAYER, 'Cue band')}"}
        with pytest.raises(InvalidStatus):
            connect(f"ws://127.0.0.1:{port}/s/{session + 7}/live", additional_headers=headers)
        page = served.ask("/player", key=headers["Cookie"].partition("=")[2]).text
        mix = int(page.partition('data-mix="')[2].partition('"')[0])
        with connect(f"ws://127.0.0.1:{port}/s/{session}/live", additional_headers=headers) as line:
            line.send(json.dumps({"listen": mix}))
            heard = [line.recv(timeout=5) for _ in range(100)]
            assert any(isinstance(h, bytes) for h in heard)
            said = [m for m in map(json.loads, (h for h in heard if isinstance(h, str)))]
            assert {m["topic"] for m in said} <= PLAYER_TOPICS
            assert {key for m in said if m["topic"] == "frame" for key in m} == PLAYER_FRAME | {"n"}
            for wish in ({"listen": mix + 1}, {"tune": 1}, {"levels": True}, {"keys": [60]},
                         {"move": [["track:1", "", "fader_db", -3.0]]}, {"move": [["track:1", f"mix:{mix + 1}", "level_db", -3.0]]}):
                line.send(json.dumps(wish))
                assert "its own" in told(line, "problem")["message"], wish
            (device,) = served.guests.all()
            served.guests.put_out(device.id)
            with pytest.raises(ConnectionClosed) as why:
                collections.deque(line, maxlen=0)
            assert why.value.rcvd is not None
            assert why.value.rcvd.code == hub.PUT_OUT
        with pytest.raises(InvalidStatus):
            connect(f"ws://127.0.0.1:{port}/player/sound", additional_headers=headers)


def test_a_player_on_plain_http_hears_its_mix_as_a_sound_file_that_goes_on(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    with at_a_port(desk) as (served, port):
        asked = http.client.HTTPConnection("127.0.0.1", port, timeout=20)
        headers = {"Cookie": f"{COOKIE}={served.key(Role.PLAYER, 'Cue band')}"}
        asked.request("GET", "/player/sound", headers=headers)
        answer = asked.getresponse()
        assert (answer.status, answer.getheader("content-type")) == (200, "audio/wav")
        head = answer.read(44)
        assert (head[:4], head[8:16], int.from_bytes(head[24:28], "little")) == (b"RIFF", b"WAVEfmt ", 48000)
        assert len(answer.read(48000)) == 48000, "a quarter of a second"
        rates.begin(desk, session, 44100)
        while answer.read(48000):
            pass  # the file says how fast it is, so another rate is another file
        wait_for(lambda: not served.front.hub._lines)
        asked.request("GET", "/player/sound", headers=headers)
        answer = asked.getresponse()
        assert int.from_bytes(answer.read(44)[24:28], "little") == 44100
        assert len(answer.read(48000)) == 48000
        opening.open_session(desk, sessions.create_session(desk, "Another"))
        while answer.read(48000):
            pass  # and nothing comes from a session that is not open any more
        asked.request("GET", "/player/sound", headers=headers)
        answer = asked.getresponse()
        assert (answer.status, b"no cue mix called" in answer.read()) == (409, True)
        asked.close()
        wait_for(lambda: not served.front.hub._lines)


@pytest.mark.without_engine
def test_https_with_a_certificate_of_our_own(desk: Desk, tmp_path: Path) -> None:
    made = certificate.own(tmp_path, "127.0.0.1")
    with at_a_port(desk, Policy(secure_port=1), secure_context(made.path, made.key)) as (_, port):
        trusting = ssl.create_default_context(cafile=str(made.path))
        asked = http.client.HTTPSConnection("127.0.0.1", port, timeout=20, context=trusting)
        asked.request("GET", "/door")
        answer = asked.getresponse()
        assert (answer.status, b"not encrypted" in answer.read()) == (200, False)
        with socket.create_connection(("127.0.0.1", port)) as plain:
            plain.sendall(b"GET /door HTTP/1.1\r\nHost: localhost\r\n\r\n")
            assert b"200" not in ended(plain)
