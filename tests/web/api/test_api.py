"""The API: the page that describes it, what it does, and a foot switch that uses it."""

import json
from typing import Any

import mido
import pytest
from examples import footswitch
from flask import Flask

from cattailer.core.transport import CAPTURING, ROLLING, STOPPED
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, opening
from cattailer.web.api import describe
from cattailer.web.api.routes import COMMANDS
from cattailer.web.app import create_app
from tests.helpers.served import at_a_port
from tests.helpers.studio import ROOT
from tests.helpers.waiting import wait_for


@pytest.fixture
def app(desk: Desk) -> Flask:
    opening.open_session(desk, demo.load(desk))
    return create_app(desk)


def ask(app: Flask, name: str, **fields: object) -> dict[str, Any]:
    """Of a GET without fields, and a POST with them."""
    method = next(c.method for c in COMMANDS if c.name == name)
    answer = app.test_client().open(f"/api/1/{name}", method=method, json=fields if method == "POST" else None)
    assert answer.content_type == "application/json"
    return {"status": answer.status_code, **json.loads(answer.data)}


def test_the_page_says_what_the_models_say() -> None:
    assert (ROOT / "docs" / "api.md").read_text() == describe.page()
    assert all(f"`{c.method} {c.path}`" in describe.page() for c in COMMANDS)


def test_the_deck_by_script(app: Flask) -> None:
    assert ask(app, "state")["state"] == STOPPED
    tracks = ask(app, "arm", armed=True)["tracks"]
    assert all(t["armed"] for t in tracks)
    assert [t["name"] for t in tracks] == [t["name"] for t in ask(app, "tracks")["tracks"]]
    assert ask(app, "capture")["status"] == 200
    state = wait_for(lambda: (s := ask(app, "state"))["state"] == CAPTURING and s)
    assert state["run"]
    assert ask(app, "mark", text="here")["said"]
    assert ask(app, "stop", pressed=state["ring_sample"] + 24_000)["state"] == STOPPED
    assert ask(app, "locate", bar=5)["status"] == 200
    wait_for(lambda: ask(app, "state")["bar"] == 5)  # as the next frame says
    assert ask(app, "roll")["state"] == ROLLING
    assert ask(app, "pedal")["state"] == STOPPED
    levels = ask(app, "levels")["levels"]
    assert [row["socket"] for row in levels] == list(range(1, len(levels) + 1))
    some = ask(app, "arm", tracks=[tracks[0]["id"]], armed=False)["tracks"]
    assert [t["armed"] for t in some][:2] == [False, True]


@pytest.mark.parametrize(("name", "fields", "words"), [
    ("locate", {}, "one of the two"), ("locate", {"bar": 1, "position_samples": 1}, "one of the two"),
    ("locate", {"bar": 0}, "cannot be read"), ("arm", {}, "cannot be read"), ("arm", {"armed": True, "tracks": [2**40]}, "cannot be read"),
    ("arm", {"armed": True, "tracks": ["x"]}, "cannot be read"), ("mark", {"kind": "x"}, "A mark is"), ("roll", {"now": 1}, "cannot be read"),
    ("capture", {"pressed": -1}, "cannot be read"), ("capture", {}, "No track is armed"),
])
def test_what_cannot_be_done_is_said_in_json(app: Flask, name: str, fields: dict[str, object], words: str) -> None:
    answer = ask(app, name, **fields)
    assert 400 <= answer["status"] < 500
    assert words in answer["refused"]


@pytest.mark.without_engine
def test_without_an_engine_that_is_said(desk: Desk) -> None:
    demo.load(desk)
    for command in COMMANDS:
        if command.name not in ("locate", "arm"):
            answer = ask(create_app(desk), command.name)
            assert (answer["status"], "engine" in answer["refused"]) == (503, True), command.name


def test_a_foot_switch_starts_and_stops(desk: Desk) -> None:
    session = demo.load(desk)
    opening.open_session(desk, session)
    with at_a_port(desk) as (served, port):
        url = f"http://127.0.0.1:{port}"
        assert "No track is armed" in footswitch.press(url, "", None)
        ask(served.app, "arm", armed=True)
        assert footswitch.press(url, "", None) in (CAPTURING, "counting")
        assert footswitch.press(url, "", None) == STOPPED
    assert "does not answer" in footswitch.press(url, "", None)


@pytest.mark.parametrize(("message", "pressed"), [
    (mido.Message("control_change", control=64, value=127), True), (mido.Message("control_change", control=64, value=0), False),
    (mido.Message("control_change", control=1, value=127), False), (mido.Message("note_on", note=36, velocity=90), True),
    (mido.Message("note_on", note=36, velocity=0), False), (mido.Message("note_off", note=36), False),
])
def test_which_midi_messages_are_a_foot_going_down(message: mido.Message, pressed: bool) -> None:
    assert footswitch.is_press(message) is pressed
