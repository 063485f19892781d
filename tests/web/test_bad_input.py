"""What comes in from outside is read or refused in words, changes nothing, and nobody ever sees a traceback."""

from collections.abc import Iterator
from pathlib import Path

import pytest
import sqlalchemy
from flask.testing import FlaskClient

from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.store.base import Base
from cattailer.store.database import Database
from cattailer.web.app import create_app
from tests.helpers.desks import empty, open_desk

PRESSED = {"HX-Request": "true"}


@pytest.fixture(scope="module")
def desk(database: Database, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Desk]:
    """One for all of these: nothing of what they send changes it."""
    with open_desk(empty(database), Path(tmp_path_factory.mktemp("desk"))) as made:
        demo.load(made)
        yield made


@pytest.fixture(scope="module")
def client(desk: Desk) -> FlaskClient:
    return create_app(desk).test_client()


@pytest.fixture(scope="module")
def before(client: FlaskClient, desk: Desk) -> tuple[object, ...]:
    client.post("/s/1/enter")
    return everything(desk)


def everything(desk: Desk) -> tuple[object, ...]:
    """Every row of every table, and where the transport is."""
    of = "SELECT md5(string_agg(t::text, ' ' ORDER BY t::text)) FROM {} t"
    with desk.database.transaction() as db:
        rows = [db.scalar(sqlalchemy.text(of.format(name))) for name in Base.metadata.tables]
    return rows, (now := desk.engine_state()).state, now.position, now.session


@pytest.mark.parametrize(("address", "fields", "status", "words"), [
    ("/s/1/inputs/3/gain", {"gain_db": "loud"}, 400, "“loud” is not a number"),
    ("/s/1/inputs/3/gain", {"gain_db": "nan"}, 400, "“nan” is not a number"),
    ("/s/1/inputs/3/gain", {"gain_db": "1e9"}, 400, "“1e9” is more than"),
    ("/s/1/inputs/3/gain", {"gain_db": "99"}, 400, "outside"),
    ("/s/1/inputs/3/gain", {}, 400, "it is missing"),
    ("/s/1/inputs/99/gain", {"gain_db": "3"}, 404, "not in this session"),
    ("/s/1/inputs/16/gain", {"gain_db": "3"}, 400, "no preamp"),
    ("/s/1/tracks/3/name", {"name": ""}, 400, "empty"),
    ("/s/1/tracks/3/name", {"name": "x" * 10_000}, 400, "10,000 characters"),
    ("/s/1/tracks/3/name", {"name": "x" * 100_000}, 400, "cannot be read"),
    ("/s/1/tracks/3/name", {"name": "a\0b"}, 400, "cannot be shown"),
    ("/s/1/tracks/3/name", {"name": "a\ufffe"}, 400, "cannot be shown"),
    ("/s/1/tracks/3/name", {"name": "a\ufdd0"}, 400, "cannot be shown"),
    ("/s/1/tracks/99/name", {"name": "a"}, 404, "no track"),
    (f"/s/{'9' * 25}/punch-out", {"pressed": "4"}, 404, "nothing at this address"),
    (f"/s/{1 << 31}/stop", {}, 404, "nothing at this address"),
    ("/s/99/tracks/1/arm", {"armed": "true"}, 404, "no session"),
    ("/s/1/tracks/1/arm", {"armed": "perhaps"}, 400, "neither true nor false"),
    ("/s/1/tracks/1/arm", {"armed": "true", "extra": "1"}, 400, "nothing of that name"),
    ("/s/1/locate", {"position": "-9999999"}, 400, "outside"),
    ("/s/1/locate", {"position": "9" * 40}, 400, "cannot be read"),
    ("/s/1/capture", {}, 409, "No track is armed"),
    ("/s/1/players", {"mode": "dance"}, 400, "“dance” is not "),
    ("/s/1/levels/check/begin", {"socket": "9" * 5000}, 400, "cannot be read"),
    ("/s/1/levels/check/begin", {"socket": "x"}, 400, "“x” is not a whole number"),
    ("/s/1/timing/clicking", {"mixes": "9" * 5000}, 400, "cannot be read"),
    ("/s/1/patch/away/inputs", {"number": "9" * 5000}, 400, "cannot be read"),
    ("/s/1/nothing", {}, 404, "nothing at this address"),
    ("/sessions", {"title": "A", "interface": "marshgate-16", "rate_hz": "12", "period": "128", "bits": "24"}, 400,
     "does not run"),
    ("/sessions", {"interface": "marshgate-2"}, 400, "cannot be read"),
    ("/sessions", {"title": "A", "template": "own-77"}, 404, "not here any more"),
    ("/s/1/patch/inputs/5/switch", {"switch": "phantom", "on": "true"}, 409, "destroy a ribbon"),
    ("/s/1/patch/inputs/5/switch", {"switch": "instrument", "on": "true"}, 400, "has no instrument switch"),
    ("/s/1/patch/inputs/1/unplug", {}, 409, "power it down first"),
    ("/s/1/patch/inputs/3/label", {"text": "Viol", "was": "Gamba"}, 409, "changed on another page"),
    ("/s/1/patch/inputs/3/pickup", {"text": "kazoo"}, 400, "A pick-up is one of"),
    ("/s/1/patch/inputs/exchange", {"one": "3", "other": "3"}, 400, "with itself"),
    ("/s/1/patch/tracks", {"count": "5", "feed": "in:14"}, 400, "would need 18 sockets"),
    ("/s/1/patch/tracks", {"count": "0"}, 400, "between 1 and 64"),
    ("/s/1/patch/tracks/3/feed", {"feed": "in:17"}, 400, "no socket 17"),
    ("/s/1/patch/tracks/3/feed", {"feed": "soft:flute:L"}, 400, "no source called"),
    ("/s/1/patch/tracks/3/feed", {"feed": "in:7", "was": "in:9"}, 409, "on another page"),
    ("/s/1/patch/tracks/3/feed", {"feed": "group:1:L"}, 409, "close a loop: Strings → Cello → Strings"),
    ("/s/1/patch/routes", {"start": "group:1", "target": "group:1", "on": "true"}, 409, "close a loop"),
    ("/s/1/patch/routes", {"start": "in:3", "target": "mix:1", "on": "true"}, 400, "fed into tracks"),
    ("/s/1/patch/routes", {"start": "track:3", "target": "mix:9", "on": "true"}, 400, "no such way"),
    ("/s/1/patch/mix/1/outputs", {"first": "12"}, 400, "needs two"),
    ("/s/1/patch/mix/1/remove", {}, 409, "main mix stays"),
    ("/s/1/patch/rate", {"value": "192000"}, 400, "does not run at"),
    ("/s/1/patch/rate", {"value": "-3"}, 400, "not a number"),
    ("/s/1/patch/bits", {"value": "20"}, 400, "does not write"),
    ("/s/1/patch/interface", {"value": "marshgate-9"}, 400, "No interface"),
    ("/s/1/patch/names", {"pattern": "{session}"}, 400, "needs {track} and {run}"),
    ("/s/1/patch/names", {"pattern": "{track}{run}{mood}"}, 400, "unknown token {mood}"),
    ("/s/1/patch/list", {"text": "socket,name\n3,A\n3,B\n"}, 400, "Nothing of the list was taken over"),
    ("/s/1/patch/list", {"text": "a,b\n1,2"}, 400, "first row must name the columns"),
    ("/s/1/patch/cure/dance", {}, 400, "no such cure"),
    ("/s/1/patch/cure/mono", {}, 400, "not complete"),
    ("/s/1/patch/check/step", {"what": "tick"}, 409, "No line check"),
    ("/s/1/patch/check/swap", {}, 409, "No line check"),
    ("/s/1/patch/stand-in/knock", {"value": "kazoo"}, 404, "Nothing here is called"),
    ("/s/1/patch/stand-in/swap", {"one": "3", "other": "99"}, 400, "no socket 99"),
    ("/s/1/levels/check/end", {}, 409, "No sound check is running"),
    ("/s/1/levels/check/begin", {"phase": "party"}, 400, "cannot be read"),
    ("/s/1/levels/check/begin", {"socket": "16"}, 409, "Nothing is listed at these sockets"),
    ("/s/1/levels/apply", {}, 409, "nothing to change"),
    ("/s/1/levels/apply", {"socket": "0"}, 400, "cannot be read"),
    ("/s/1/levels/window", {"low": "-12", "high": "-18"}, 400, "target window lies between"),
    ("/s/1/levels/window", {"low": "nan", "high": "-18"}, 400, "cannot be read"),
    ("/s/1/levels/tracks/99/window", {}, 404, "no track"),
    ("/s/1/levels/meters", {"kind": "sparkle"}, 400, "cannot be read"),
    ("/s/1/levels/knob/3", {}, 409, "no hand is needed"),
    ("/s/1/levels/knob/99", {}, 400, "no socket 99"),
    ("/s/1/levels/reference", {"hz": "12"}, 400, "between 390 and 470"),
    ("/s/1/levels/pairs/note", {"first": "3", "second": "99", "samples": "3", "cm": "1"}, 404, "not in this session"),
    ("/s/1/levels/stand-in/loud", {"player": "kazoo", "db": "3"}, 404, "No player"),
    ("/s/1/levels/stand-in/hum", {"socket": "99", "dbu": "-40"}, 400, "no socket 99"),
    ("/s/1/levels/stand-in/turn", {"socket": "3", "gain_db": "4"}, 400, "no knob"),
    ("/s/1/levels/stand-in/rig", {"name": "kazoo", "what": "di", "on": "true"}, 404, "Nothing here"),
    ("/s/1/timing/buffer", {"period": "100"}, 400, "no buffer of 100"),
    ("/s/1/timing/buffer", {"use": "party", "period": "128"}, 400, "cannot be read"),
    ("/s/1/timing/trip", {"output": "99", "socket": "1"}, 400, "no output 99"),
    ("/s/1/timing/trip", {"output": "1", "socket": "99"}, 400, "no socket 99"),
    ("/s/1/timing/trip/use", {"id": "77"}, 404, "not here any more"),
    ("/s/1/timing/tempo", {"bpm": "0"}, 400, "must be 10 to 400"),
    ("/s/1/timing/tempo", {"bpm": "nan"}, 400, "cannot be read"),
    ("/s/1/timing/tempo", {"bpm": "1e9"}, 400, "must be 10 to 400"),
    ("/s/1/timing/meter", {"beats": "0", "unit": "4"}, 400, "no such meter"),
    ("/s/1/timing/meter", {"beats": "7", "unit": "0"}, 400, "no such meter"),
    ("/s/1/timing/tempo/remove", {"bar": "1"}, 400, "where all begins"),
    ("/s/1/timing/bar-one", {"sample": "-5"}, 400, "first hour"),
    ("/s/1/timing/clicking", {"sound": "cow"}, 400, "no click called"),
    ("/s/1/timing/clicking", {"mixes": "x"}, 400, "cannot be read"),
    ("/s/1/timing/clicking", {"mixes": ""}, 400, "in one mix at least"),
    ("/s/1/timing/clicking", {"count_bars": "17"}, 400, "can be counted in"),
    ("/s/1/timing/clicking/silence", {"bar": "0"}, 400, "silent from a bar"),
    ("/s/1/timing/clicking/silence", {"bar": "9", "until": "4"}, 400, "until a later one"),
    ("/s/1/timing/clicking/print", {"bar": "5", "until": "5"}, 400, "until a later one"),
    ("/s/1/timing/rate", {"rate_hz": "22050"}, 400, "does not run at"),
    ("/s/1/timing/trip/takes", {"played": "1", "returned": "1"}, 400, "Choose two takes"),
    ("/s/1/timing/trip/takes", {"played": "1", "returned": "2"}, 404, "no take"),
    ("/s/1/timing/stand-in/busy", {"mood": "asleep"}, 400, "can be busy"),
    ("/s/1/range", {"first": "9", "last": "3"}, 400, "to a later one"),
    ("/s/1/range", {"first": "x", "last": "3"}, 400, "no place"),
    ("/s/1/range/loop", {}, 409, "no range"),
    ("/s/1/range/drag", {"start": "9", "stop": "9"}, 400, "to a later one"),
    ("/s/1/range/drag", {"start": "-1", "stop": "9"}, 400, "to a later one"),
    ("/s/1/range/take", {"number": "999"}, 404, "no such take"), ("/s/1/range/marks/99", {}, 404, "not here"),
    ("/s/1/range/here", {"end": "middle"}, 400, "first and a last"), ("/s/1/ruler", {"ruler": "feet"}, 400, "bars or minutes"),
    ("/s/1/places/copy", {"value": "here"}, 400, "whole path"), ("/s/1/places/copy", {"value": "/no/where"}, 400, "no folder"),
    ("/s/1/places/fallback/speed", {}, 409, "No folder"), ("/s/1/takes/check", {"also": "/no/where"}, 400, "no folder"),
    ("/s/1/shelf", {"shelf": "attic"}, 400, "put away"), ("/s/1/shelf", {"shelf": "bin"}, 409, "open in the engine"),
    ("/s/1/delete", {"knows": "true", "sure": "true"}, 409, "in the bin"),
    ("/s/1/takes/5/lead-in", {"how": "all"}, 404, "no take"),
    ("/s/1/takes/5/lead-in", {"how": "twice"}, 400, "cannot be read"),
    ("/s/1/timing/tap", {"times": "1,x"}, 400, "cannot be read"),
    ("/s/1/timing/stand-in/loop", {"output": "99", "socket": "1", "way": "cable"}, 400, "no output 99"),
    ("/s/1/timing/stand-in/claim", {"samples": "99999"}, 400, "can be wrong by"),
    ("/s/1/undo", {}, 409, "nothing to undo"),
    ("/s/1/redo", {}, 409, "nothing to redo"),
    ("/templates/remove", {"key": "shipped-pair"}, 409, "stay"),
])
def test_bad_input_is_told_and_changes_nothing(
    client: FlaskClient, desk: Desk, before: tuple[object, ...], address: str, fields: dict[str, str], status: int, words: str
) -> None:
    answer = client.post(address, data=fields, headers=PRESSED)
    assert answer.status_code == status
    assert words in answer.text
    assert "Traceback" not in answer.text
    assert everything(desk) == before


@pytest.mark.parametrize("address", [
    "/s/99/capture", "/s/1/takes/5/file", "/s/1/takes/5/sound", "/s/1/takes/5/waveform", "/s/x/capture",
    "/s/99999999999999999999/capture", "/static/../app.py",
])
def test_unknown_addresses_are_pages_in_words(client: FlaskClient, address: str) -> None:
    answer = client.get(address, headers={"Accept": "text/html"})
    assert answer.status_code == 404
    assert "All sessions" in answer.text


@pytest.mark.parametrize("query", ["", "?at=0", "?at=x&columns=5", "?at=0&columns=0", "?at=0&columns=99999999"])
def test_lanes_that_cannot_be_drawn(client: FlaskClient, query: str) -> None:
    assert client.get(f"/s/1/capture/lanes{query}").status_code == 400


@pytest.mark.parametrize("origin", ["http://elsewhere.example", "null", "http://localhost:1"])
def test_pages_from_elsewhere_are_refused(client: FlaskClient, origin: str) -> None:
    assert client.post("/s/1/tracks/arm", data={"armed": "true"}, headers={"Origin": origin}).status_code == 403
    assert client.get("/s/1/live", headers={"Origin": origin, "Upgrade": "websocket"}).status_code == 403
    assert client.post("/s/1/tracks/arm", data={"armed": "true"}, headers={"Origin": "http://localhost"}).status_code == 204
