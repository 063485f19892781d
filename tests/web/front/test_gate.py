"""Who may ask what: every address of the map, by role and by place."""

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from flask import Flask

from cattailer.core.access.roles import Role
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.reach import Reach
from cattailer.services.session import demo, opening
from cattailer.web.front.gate import Policy
from cattailer.web.front.may import ASSISTANT_WRITES, ENGINEER_READS, PLAYER_MAY
from tests.helpers.served import HERE, PHONE, Served, front_of

pytestmark = pytest.mark.without_engine
PAGE = {"accept": "text/html"}


@pytest.fixture
def served(desk: Desk) -> Iterator[Served]:
    demo.load(desk)
    yield front_of(desk, Policy(secure_port=8443), Reach("192.168.1.2", 8080, 8443, "AB:CD"))


def addresses(app: Flask) -> list[tuple[str, str, str]]:
    """Every (method, path, endpoint) of the map."""
    out = []
    for rule in app.url_map.iter_rules():
        path = re.sub(r"<any\(([a-z]+)[^>]*>", r"\1", rule.rule)
        path = re.sub(r"<[^>]*>", "1", path)
        out += [(method, path, rule.endpoint) for method in sorted((rule.methods or set()) - {"OPTIONS"})]
    return out


def test_without_a_key_every_address_is_refused_but_the_door(served: Served) -> None:
    known = addresses(served.app)
    assert len(known) > 300
    for scheme in ("http", "https"):
        for method, path, endpoint in known:
            status = served.ask(path, method, scheme=scheme).status
            if endpoint.startswith("door."):
                assert status != 401, path
            else:
                assert status == 401, (method, path)
    for path in ("/s/1/live", "/s/2/live", "/player/sound", "/door", "/nothing", "//s/1/live", "/s/1/live/"):
        for scheme in ("ws", "wss"):
            assert served.ask(path, scheme=scheme, kind="websocket").status in (401, 404), path


def test_at_the_door_there_is_what_the_door_looks_like_and_nothing_else(served: Served) -> None:
    for path in ("/door", "/door/abc", "/static/app.css", "/static/cattail.svg", "/static/js/page/theme.js"):
        assert served.ask(path).status == 200, path
    for path in ("/static/js/page/main.js", "/static/fonts/../js/page/main.js", "/door/../s/1/capture", "/static/app.css/../../x"):
        assert served.ask(path).status in (401, 404), path


def test_whoever_comes_for_a_page_is_led_to_the_door_and_whoever_presses_is_told(served: Served) -> None:
    for path, scheme in (("/", "http"), ("/player", "http"), ("/s/1/capture", "https")):
        answer = served.ask(path, scheme=scheme, headers=PAGE)
        assert (answer.status, answer.headers["location"]) == (303, "/door")
    answer = served.ask("/s/1/capture", headers=PAGE)
    assert (answer.status, answer.headers["location"]) == (307, "https://localhost:8443/s/1/capture")
    assert "has no key" in served.ask("/s/1/stop", "POST", headers={"hx-request": "true", **PAGE}).text


def test_on_this_machine_nothing_is_needed_unless_others_work_here_too(desk: Desk, served: Served, tmp_path: Path) -> None:
    assert served.ask("/", peer=HERE).status == 200
    assert served.ask("/", peer="::ffff:127.0.0.1").status == 200
    assert served.ask("/", peer="127.0.0.1.evil").status == 401
    key = tmp_path / "key"
    key.write_text("aabbccddeeff00112233445566778899")
    shared = front_of(desk, Policy(shared=True), shared=key)
    assert shared.ask("/", peer=HERE).status == 401
    assert shared.ask("/alive", peer=HERE).status in (200, 503), "the supervisor asks that"
    came = shared.ask("/door", "POST", peer=HERE, code=key.read_text())
    assert (came.status, came.headers["location"]) == (303, "/")
    assert shared.ask("/", peer=HERE, key=came.cookie).status == 200


def test_an_engineer_is_sent_on_to_https_with_whatever_was_sent(served: Served) -> None:
    key = served.key(Role.ENGINEER)
    answer = served.ask("/s/1/capture?a=1", key=key)
    assert (answer.status, answer.headers["location"]) == (307, "https://localhost:8443/s/1/capture?a=1")
    assert served.ask("/s/1/live", scheme="ws", kind="websocket", key=key).status == 403
    assert served.ask("/s/1/capture", scheme="https", key=key).status == 200
    answer = served.ask("/s/1/\r\nSet-Cookie: a=b", key=key)
    assert answer.headers["location"].endswith("/s/1/%0D%0ASet-Cookie%3A%20a%3Db")
    answer = served.ask("/", key=key, headers={"host": "[fe80::1]:8080"})
    assert answer.headers["location"] == "https://[fe80::1]:8443/"


def test_a_player_opens_one_page_and_nothing_else(served: Served) -> None:
    key = served.key(Role.PLAYER, "Cue band")
    assert served.ask("/", key=key).headers["location"] == "/player"
    for method, path, endpoint in addresses(served.app):
        answer = served.ask(path, method, key=key, headers=PAGE if method == "GET" else None)
        if endpoint in PLAYER_MAY and method != "POST":
            assert answer.status not in (401, 403), path
        elif not endpoint.startswith("door.") and path != "/":
            assert answer.status == 403, (method, path, answer.status)
    refused = served.ask("/s/1/capture", key=key, headers=PAGE)
    assert (refused.status, "one mix, its own" in refused.text, "<html" in refused.text) == (403, True, True)


def test_an_assistant_reads_and_marks(served: Served) -> None:
    key = served.key(Role.ASSISTANT)
    writes = set()
    for method, path, endpoint in addresses(served.app):
        answer = served.ask(path, method, key=key, scheme="https")
        if method == "POST" and answer.status != 403 and not endpoint.startswith("door."):
            writes.add(endpoint)
        if method == "GET":
            assert (answer.status == 403) is (endpoint in ENGINEER_READS), path
    assert writes == {e for e in ASSISTANT_WRITES if e in served.app.view_functions}
    assert served.ask("/s/1/mark", "POST", key=key, scheme="https", kind_="x").status == 400


def test_a_device_that_was_put_out_is_nobody(served: Served) -> None:
    key = served.key(Role.ENGINEER)
    assert served.ask("/devices", key=key, scheme="https").status == 200
    (device,) = served.guests.all()
    assert served.ask("/devices/put-out", "POST", peer=HERE, device=device.id).status == 200
    assert served.ask("/devices", key=key, scheme="https").status == 401


def test_a_script_comes_with_its_key_and_never_openly(served: Served) -> None:
    _, key = served.guests.make_key(Role.ENGINEER, "Foot switch")
    bearer = {"authorization": f"Bearer {key}"}
    assert served.ask("/devices", scheme="https", headers=bearer).status == 200
    openly = served.ask("/devices", headers=bearer)
    assert (openly.status, "make a new one" in openly.text) == (403, True)
    assert served.ask("/devices", scheme="https", headers={"authorization": "Bearer x"}).status == 401
    assert served.ask("/devices", scheme="https", headers={"authorization": f"Basic {key}"}).status == 401


@pytest.mark.parametrize("headers", [
    {"host": "evil.example"}, {"origin": "http://evil.example"}, {"origin": "null"}, {"sec-fetch-site": "cross-site"},
    {"origin": "http://["},
])
def test_strangers_are_refused_before_their_key_is_looked_at(served: Served, headers: dict[str, str]) -> None:
    key = served.key(Role.PLAYER, "Cue band")
    for kind, scheme in (("http", "http"), ("websocket", "ws")):
        for peer in (HERE, PHONE):
            assert served.ask("/s/1/live", peer=peer, key=key, kind=kind, scheme=scheme, headers=headers).status in (403, 421)


def test_a_link_may_lead_to_the_door_from_anywhere_and_nowhere_else(served: Served) -> None:
    """Our own page on plain HTTP is another site to browsers."""
    led = {"sec-fetch-site": "cross-site", **PAGE}
    for peer in (HERE, PHONE):
        assert served.ask("/door", scheme="https", peer=peer, headers=led).status == 200
        assert served.ask("/door", "POST", scheme="https", peer=peer, headers=led, code="1").status == 403
        assert served.ask("/", scheme="https", peer=peer, headers=led).status == 403


def test_the_pass_is_a_cookie_that_pages_and_other_sites_never_see(served: Served) -> None:
    offer = served.guests.offer(Role.PLAYER, "", "Cue band")
    openly = served.ask("/door", "POST", code=offer.code, name="Marta’s phone")
    assert openly.headers["location"] == "/player"
    for part in ("HttpOnly", "SameSite=Strict", "Path=/"):
        assert part in openly.headers["set-cookie"]
    assert "Secure" not in openly.headers["set-cookie"]
    offer = served.guests.offer(Role.ENGINEER)
    assert "Secure" in served.ask("/door", "POST", scheme="https", code=offer.link).headers["set-cookie"]


def test_a_wrong_code_is_told_at_the_door(served: Served) -> None:
    answer = served.ask("/door", "POST", code="000000")
    assert (answer.status, "not good" in answer.text, answer.cookie) == (403, True, "")
    assert served.ask("/door", "POST", code="x" * 300).status == 400
    assert served.ask("/door", "POST", body=b"x" * 5000).status == 413
    assert served.ask("/door").text.count("https://localhost:8443/door") == 2, "engineers are told where to go"
    assert "not encrypted" not in served.ask("/door", scheme="https").text


def test_a_link_alone_lets_nobody_in(served: Served) -> None:
    """A phone's preview opens it too."""
    offer = served.guests.offer(Role.PLAYER, "", "Cue band")
    for _ in range(3):
        page = served.ask(f"/door/{offer.link}")
        assert (page.status, page.cookie) == (200, "")
    assert served.ask("/door", "POST", code=offer.link).status == 303


def test_the_page_of_devices_offers_a_code_its_picture_and_a_key(served: Served) -> None:
    page = served.ask("/devices", peer=HERE)
    assert "AB:CD" in page.text
    made = served.ask("/devices/offer", "POST", peer=HERE, role="assistant", name="Tablet")
    assert "<svg" in made.text
    assert "https://192.168.1.2:8443/door" in made.text
    assert served.ask("/devices/offer", "POST", peer=HERE, role="player").status == 400
    assert served.ask("/devices/offer", "POST", peer=HERE, role="owner").status == 400
    assert "this once" in served.ask("/devices/key", "POST", peer=HERE, role="engineer", name="Pedal").text
    assert "Pedal" in served.ask("/devices/rows", peer=HERE).text


def test_only_an_engineer_takes_the_engine_by_answering(served: Served, monkeypatch: pytest.MonkeyPatch) -> None:
    """What an assistant may post says "open" too if somebody writes it by hand."""
    opened: list[int] = []
    monkeypatch.setattr(opening, "open_session", lambda desk, session: opened.append(session))
    for role, expected in ((Role.ASSISTANT, []), (Role.ENGINEER, [1])):
        served.ask("/s/1/mark", "POST", scheme="https", key=served.key(role), sure="open")
        assert opened == expected, role
