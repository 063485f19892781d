"""Sound files on their way in: straight to the disk, and nothing of those that do not arrive."""

import json
import socket
import time
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
import soundfile

from cattailer.core.access.roles import Role
from cattailer.core.takes import importing as rules
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.stages.capture import importing, importpage, uploads
from cattailer.web.front import uploading
from tests.helpers.served import HERE, Served, at_a_port, front_of
from tests.helpers.sessions import rows_of
from tests.helpers.waiting import wait_for

pytestmark = pytest.mark.without_engine


@pytest.fixture
def session(desk: Desk) -> Iterator[int]:
    desk.media.mkdir()
    yield demo.load(desk)


@pytest.fixture
def sound(tmp_path: Path) -> bytes:
    """More than goes into one piece, and than any other request may hold."""
    path = tmp_path / "rain.wav"
    soundfile.write(path, np.random.default_rng(1).uniform(-0.5, 0.5, (48000 * 12, 2)), 48000, "PCM_24")
    return path.read_bytes()


def offer(served: Served, session: int, name: str, size: int) -> tuple[int, str]:
    answer = served.ask(f"/s/{session}/imports/", "POST", HERE, name=name, bytes=size)
    return (json.loads(answer.text)["number"], "") if answer.status == 200 else (0, answer.text)


def left(desk: Desk) -> list[Path]:
    return list(desk.media.glob(f"{uploads.PREFIX}*"))


def states(desk: Desk, session: int) -> list[str]:
    return [row.state for row in importpage.listed(desk, session).rows]


def test_a_file_of_any_size_arrives_and_is_imported(desk: Desk, session: int, sound: bytes) -> None:
    served = front_of(desk)
    number, _ = offer(served, session, "rain.wav", len(sound))
    assert served.ask(f"/s/{session}/imports/{number}/sound", "PUT", HERE, body=sound, headers={"content-length": str(len(sound))}).status == 200
    (row,) = importpage.listed(desk, session).rows
    assert (row.state, row.what) == ("here", "stereo · 48 kHz · 12 s · 3.5 MB")
    importing.begin(desk, session, "2")
    wait_for(lambda: states(desk, session) == ["done"])
    assert rows_of(desk, session)[-1].name == "rain"
    assert left(desk) == []


def test_kind_size_room_and_role_are_looked_at_before_anything_is_sent(
    desk: Desk, session: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    served = front_of(desk)
    assert "not a sound file" in offer(served, session, "notes.docx", 500)[1]
    assert "empty" in offer(served, session, "a.wav", 0)[1]
    assert "larger than" in offer(served, session, "a.wav", 1 << 40)[1]
    monkeypatch.setattr(uploads, "free_bytes", lambda root: rules.RESERVED_BYTES + 1_000_000)
    assert offer(served, session, "a.wav", 600_000)[0]
    assert "no room" in offer(served, session, "b.wav", 600_000)[1], "what is on its way is counted"
    key = served.key(Role.ASSISTANT)
    for path, method in ((f"/s/{session}/imports/", "POST"), (f"/s/{session}/imports/1/sound", "PUT")):
        assert served.ask(path, method, scheme="https", key=key, headers={"content-length": "600000"}).status == 403
    assert left(desk) == []


def test_what_turns_out_not_to_be_sound_is_refused_at_its_first_bytes(desk: Desk, session: int, sound: bytes) -> None:
    served = front_of(desk)
    for name, data in (("a.wav", b"<html>" * 400_000), ("c.flac", b"fLaC" + bytes(90_000))):
        number, _ = offer(served, session, name, len(data))
        answer = served.ask(f"/s/{session}/imports/{number}/sound", "PUT", HERE, body=data, headers={"content-length": str(len(data))})
        assert answer.status == 400
        assert name in answer.text
    assert states(desk, session) == ["failed"] * 2
    assert left(desk) == []


def put(line: socket.socket, session: int, number: int, size: int, data: bytes) -> None:
    line.sendall(f"PUT /s/{session}/imports/{number}/sound HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {size}\r\n\r\n".encode())
    line.sendall(data)


def test_what_breaks_off_leaves_nothing_and_is_sent_again(desk: Desk, session: int, sound: bytes) -> None:
    with at_a_port(desk) as (_, port):
        number = uploads.offer(desk, session, "rain.wav", len(sound)).number
        with closing(socket.create_connection(("127.0.0.1", port))) as line:
            put(line, session, number, len(sound), sound[: len(sound) * 9 // 10])
            wait_for(lambda: uploads.find(desk, session, number).arrived > len(sound) * 8 // 10)
            assert len(left(desk)) == 1
        wait_for(lambda: states(desk, session) == ["broken"])
        assert left(desk) == []
        with closing(socket.create_connection(("127.0.0.1", port))) as line:
            put(line, session, number, len(sound), sound)
            assert line.recv(100).startswith(b"HTTP/1.1 200")
        assert states(desk, session) == ["here"]


def test_it_may_come_as_slowly_as_it_likes_while_it_moves(
    desk: Desk, session: int, sound: bytes, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(uploading, "LOOK_S", 0.05)
    monkeypatch.setattr(uploading, "STILL_S", 0.5)
    with at_a_port(desk) as (_, port):
        number = uploads.offer(desk, session, "rain.wav", len(sound)).number
        find = uploads.find(desk, session, number)
        with closing(socket.create_connection(("127.0.0.1", port))) as line:
            put(line, session, number, len(sound), b"")
            for n in range(1, 21):  # longer in all than it may stand still
                line.sendall(sound[(n - 1) * 100 : n * 100])
                wait_for(lambda n=n: find.arrived == n * 100)
            assert find.state == "arriving"
            wait_for(lambda: find.state == "broken")  # nothing comes any more
        assert left(desk) == []


def test_cancel_ends_it_and_a_restart_sweeps(desk: Desk, session: int, sound: bytes) -> None:
    with at_a_port(desk) as (_, port):
        number = uploads.offer(desk, session, "rain.wav", len(sound)).number
        with closing(socket.create_connection(("127.0.0.1", port))) as line:
            put(line, session, number, len(sound), sound[:2_000_000])
            wait_for(lambda: uploads.find(desk, session, number).arrived > 1_000_000)
            uploads.cancel(desk, session, number)
            wait_for(lambda: states(desk, session) == [])
    assert left(desk) == []
    (desk.media / f"{uploads.PREFIX}old.wav").write_bytes(b"x")
    uploads.sweep(desk, time.time() - 60)
    assert len(left(desk)) == 1, "what comes now is not swept"
    uploads.sweep(desk, time.time() + 60)
    assert left(desk) == []


def test_a_form_that_is_too_large_is_answered_and_not_cut_off(desk: Desk, session: int) -> None:
    body = b"text=" + b"x" * (8 << 20)
    head = f"POST /s/{session}/patch/list HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: {len(body)}\r\n\r\n"
    with at_a_port(desk) as (_, port), closing(socket.create_connection(("127.0.0.1", port))) as line:
        line.sendall(head.encode())
        line.sendall(body)  # all of it, before the answer is read: as browsers do
        assert line.recv(100).startswith(b"HTTP/1.1 413")
