"""What comes in from outside is read or refused in words; nobody ever sees a traceback."""

import time
from collections.abc import Iterator

import pytest
from flask.testing import FlaskClient

from cattailer.services.desk.desk import Desk
from cattailer.services.running import runs
from cattailer.services.session import demo
from cattailer.web.app import create_app
from tests.helpers.sessions import rows_of
from tests.helpers.waiting import wait_for

PRESSED = {"HX-Request": "true"}


@pytest.fixture
def client(desk: Desk) -> Iterator[FlaskClient]:
    demo.load(desk)
    yield create_app(desk).test_client()


def test_pages_answer(client: FlaskClient) -> None:
    assert "Lamplighter" in client.get("/").text
    assert client.get("/s/1/").status_code == 302
    page = client.get("/s/1/capture").text
    for words in ("Dulcimer left", "48 V", "Capture", "Takes", "Ready check", "Listen here"):
        assert words in page
    assert "No takes yet" in client.get("/s/1/takes/").text
    assert "Balance" not in page, "only stages that work are shown"
    for view in ("sockets", "list", "tracks", "routes", "check", "interface"):
        text = client.get(f"/s/1/patch/{view}").text
        assert {"list": "Save as CSV", "interface": "Dulcimer-left"}.get(view, "Dulcimer left") in text
    assert "Cello" in client.get("/s/1/patch/routes?grid=true").text
    assert "Frame drum" in client.get("/s/1/patch/paper").text
    for view, words in (("rows", "Listen to a check"), ("wide", "rows 9 to 10"), ("noise", "Not measured yet"), ("pairs", "Compare"),
                        ("room", "Stand-in: no real room")):
        assert words in client.get(f"/s/1/levels/{view}").text
        assert words in client.get(f"/s/1/levels/{view}/rows").text
    for view, words in (("buffer", "Measure this machine now"), ("trip", "Stand-in: no real cables"), ("tempo", "Tap it here")):
        assert words in client.get(f"/s/1/timing/{view}").text
        assert words in client.get(f"/s/1/timing/{view}/rows").text
    taps = client.post("/s/1/timing/tap", data={"times": "0,0.5,1.0,1.5,2.0"}).json
    assert (taps["bpm"], taps["rounded"]) == (120.0, 120.0)
    assert client.get("/s/1/levels/pairs/compare?first=3&second=3").status_code == 400
    assert client.get("/alive").text == "alive"
    lanes = client.get("/s/1/capture/lanes?at=0&columns=100").json
    assert lanes["ticks"][0] == [0, "bar 1", True]
    assert len(lanes["ticks"]) == 16


def test_people_type_decibels_as_they_like(client: FlaskClient, desk: Desk) -> None:
    for typed, is_now in (("+34 dB", 34.0), ("33,4", 33.0), ("12dB", 12.0), ("0", 0.0)):
        assert client.post("/s/1/inputs/3/gain", data={"gain_db": typed}, headers=PRESSED).status_code == 204
        assert rows_of(desk, 1)[2].gain_db == is_now


def test_names_are_shown_as_text(client: FlaskClient) -> None:
    name = '<script>alert("x")</script>'
    assert client.post("/s/1/tracks/1/name", data={"name": name}, headers=PRESSED).status_code == 204
    page = client.get("/s/1/capture").text
    assert name not in page
    assert "&lt;script&gt;" in page


def test_a_take_can_be_heard_and_downloaded(client: FlaskClient, desk: Desk) -> None:
    client.post("/s/1/tracks/arm", data={"armed": "true"}, headers=PRESSED)
    assert client.post("/s/1/capture", headers=PRESSED).status_code == 204
    time.sleep(0.3)
    assert client.post("/s/1/stop", headers=PRESSED).status_code == 204
    wait_for(lambda: runs.enter_finished(desk))
    rows = client.get("/s/1/takes/rows").text
    assert rows.count("data-take=") == 10
    part = client.get("/s/1/takes/1/sound", headers={"Range": "bytes=0-3"})
    assert (part.status_code, part.data) == (206, b"RIFF")
    whole = client.get("/s/1/takes/1/file")
    assert whole.headers["Content-Disposition"].startswith("attachment; filename=The-Lamplighters-Ferry_")
    assert len(client.get("/s/1/takes/1/waveform?columns=30").json) == 60
    assert client.get("/s/1/takes/1/waveform?columns=0").status_code == 400


def test_the_ready_check_cures_a_condenser_without_48_v(client: FlaskClient, desk: Desk) -> None:
    client.post("/s/1/inputs/3/phantom", data={"on": "false", "sure": "true"}, headers=PRESSED)
    client.post("/s/1/tracks/arm", data={"armed": "true"}, headers=PRESSED)
    page = client.get("/s/1/capture").text
    assert "Cello is a condenser without 48 V" in page
    assert "switch 48 V on" in page
    answer = client.post("/s/1/cure/phantom", data={"socket": "3"}, headers=PRESSED)
    if answer.status_code == 409:  # whoever has a ribbon in the same bank is asked first
        answer = client.post("/s/1/cure/phantom", data={"socket": "3", "sure": "true"}, headers=PRESSED)
    assert answer.status_code == 204
    assert "without 48 V" not in client.get("/s/1/capture").text
    assert client.post("/s/1/cure/phantom", data={"socket": "999"}, headers=PRESSED).status_code == 400
    assert client.post("/s/1/cure/other", data={"socket": "3"}, headers=PRESSED).status_code == 404
