"""What pages of other sites may do here, in a browser on the studio machine: nothing."""

from collections.abc import Iterator

import pytest
from flask.testing import FlaskClient

from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, opening, sessions
from cattailer.web.app import create_app
from cattailer.web.strangers import is_ours


@pytest.fixture
def client(desk: Desk) -> Iterator[FlaskClient]:
    demo.load(desk)
    yield create_app(desk).test_client()


@pytest.mark.parametrize(("host", "ours"), [
    ("127.0.0.1:8080", True), ("localhost", True), ("[::1]:8080", True), ("192.168.1.20:8080", True),
    ("evil.example:8080", False), ("127.0.0.1.evil.example", False), ("", False), ("[", False), ("a b", False),
])
def test_a_host_is_an_address_or_an_own_name(host: str, ours: bool) -> None:
    assert is_ours(host) is ours


@pytest.mark.parametrize("headers", [
    {"Host": "evil.example", "Origin": "http://evil.example"},
    {"Origin": "http://evil.example"}, {"Origin": "https://localhost"}, {"Origin": "null"}, {"Origin": "http://["},
    {"Sec-Fetch-Site": "cross-site"},
])
@pytest.mark.without_engine
def test_strangers_are_refused_before_anything_is_done(client: FlaskClient, headers: dict[str, str]) -> None:
    for address in ("/", "/s/1/capture", "/s/1/live", "/static/app.css", "/s/99/takes/1/sound"):
        assert client.get(address, headers=headers).status_code in (403, 421), address
    assert client.post("/s/1/tracks/arm", data={"armed": "true"}, headers=headers).status_code in (403, 421)


@pytest.mark.without_engine
def test_every_answer_says_what_browsers_must_not_do(client: FlaskClient) -> None:
    for address in ("/", "/s/1/capture", "/static/app.css", "/nothing"):
        headers = client.get(address).headers
        assert "frame-ancestors 'none'" in headers["Content-Security-Policy"]
        assert "unsafe-eval" not in headers["Content-Security-Policy"]
        assert "script-src" not in headers["Content-Security-Policy"], "scripts are what default-src says: our own files"
        assert headers["X-Content-Type-Options"] == "nosniff"
        assert headers["Cross-Origin-Resource-Policy"] == "same-origin"
        assert headers["Referrer-Policy"] == "same-origin"


def test_an_address_alone_changes_nothing(client: FlaskClient, desk: Desk) -> None:
    """An image of another site with the address of a session must not switch to it."""
    opening.open_session(desk, 1)
    other = sessions.create_session(desk, "Other")
    before = sessions.list_sessions(desk)
    assert client.get(f"/s/{other}/").status_code == 302
    assert desk.engine_state().session == 1
    assert sessions.list_sessions(desk) == before
    assert client.post(f"/s/{other}/enter").headers["HX-Redirect"] == f"/s/{other}/"
    assert desk.engine_state().session == other
