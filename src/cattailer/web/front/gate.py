"""Who is asking, and whether they may: before anything is looked up, for pages, files and lines alike."""

import ipaddress
from collections.abc import Mapping
from dataclasses import dataclass
from http.cookies import CookieError, SimpleCookie
from typing import Any
from urllib.parse import quote

from flask import Flask
from werkzeug.exceptions import HTTPException
from werkzeug.routing import RequestRedirect

from cattailer.core.access.roles import THIS_MACHINE, Device, Role
from cattailer.core.errors import Refusal
from cattailer.services.desk.guests import Guests
from cattailer.web.front.may import at_the_door, may
from cattailer.web.strangers import is_led_here, refuse_strangers

COOKIE = "cattailer-device"
NO_KEY = "This device has no key. Go to /door and type a code; the engineer's page of devices makes one."
OPEN_KEY = (
    "This key came over plain HTTP, where others can read it, so nothing was done. Put it out, make a new one, and use "
    "HTTPS."
)
ROLE_MAY_NOT = {
    Role.ASSISTANT: "An assistant's device writes marks and notes, and reads. Nothing else was done; ask the engineer.",
    Role.PLAYER: "This device opens one mix, its own, and nothing else.",
}
PLAYER_PAGE, DOOR = "/player", "/door"


@dataclass(frozen=True)
class Policy:
    """``shared``: others work on this machine too, so its own browsers need a key as well. ``secure_port`` is where
    HTTPS answers, 0 where nowhere."""

    shared: bool = False
    secure_port: int = 0


class Elsewhere(Exception):
    """What was asked for is at another address. ``again``: whatever was sent goes there too."""

    def __init__(self, address: str, again: bool = False) -> None:
        super().__init__(address)
        self.address, self.status = address, 307 if again else 303


@dataclass(frozen=True)
class Asked:
    """What is asked, as any server has it. ``origin`` and ``site`` are None where the browser says nothing."""

    method: str
    path: str
    query: str
    scheme: str
    host: str
    peer: str
    cookie: str
    bearer: str
    origin: str | None
    site: str | None
    wants_page: bool

    @classmethod
    def of(cls, scope: Mapping[str, Any]) -> "Asked":
        headers = {name.decode("latin-1"): value.decode("latin-1") for name, value in reversed(scope["headers"])}
        kind, _, key = headers.get("authorization", "").partition(" ")
        return cls(
            scope.get("method", "GET"), scope["path"], scope["query_string"].decode("latin-1"), scope["scheme"],
            headers.get("host", ""), (scope.get("client") or ("", 0))[0], headers.get("cookie", ""),
            key.strip() if kind.lower() == "bearer" else "", headers.get("origin"), headers.get("sec-fetch-site"),
            "text/html" in headers.get("accept", "") and "hx-request" not in headers,
        )

    @property
    def secure(self) -> bool:
        return self.scheme in ("https", "wss")

    @property
    def local(self) -> bool:
        try:
            found = ipaddress.ip_address(self.peer)
        except ValueError:
            return False
        mapped = found.ipv4_mapped if isinstance(found, ipaddress.IPv6Address) else None
        return (mapped or found).is_loopback


class Gate:
    def __init__(self, app: Flask, guests: Guests, policy: Policy) -> None:
        self._urls = app.url_map.bind("")
        self._guests, self._policy = guests, policy

    def admit(self, asked: Asked) -> Device | None:
        """Who asks; None for somebody at the door. Raises Refusal, and Elsewhere for what is to be had at another
        address."""
        scheme = "https" if asked.secure else "http"
        site = None if is_led_here(asked.method, asked.path) else asked.site
        refuse_strangers(scheme, asked.host, asked.origin, site)
        if asked.bearer and self.openly(asked):
            raise Refusal(OPEN_KEY, 403)
        device = self._who(asked)
        if at_the_door(asked.path) or (asked.path == "/alive" and asked.local):
            return device
        if device is None:
            if asked.wants_page and asked.method == "GET":
                stays = asked.path in ("/", PLAYER_PAGE) or not self._must_be_secure(asked)
                raise Elsewhere(DOOR) if stays else self._over_https(asked)
            raise Refusal(NO_KEY, 401)
        if device.role is not Role.PLAYER and self._must_be_secure(asked):
            if asked.scheme == "ws":
                raise Refusal("Over HTTPS only.", 403)
            raise self._over_https(asked)
        if device.role is Role.ENGINEER:
            return device
        if device.role is Role.PLAYER and asked.path == "/":
            raise Elsewhere(PLAYER_PAGE)
        if not may(device.role, self._endpoint(asked), asked.method):
            raise Refusal(ROLE_MAY_NOT[device.role], 403)
        return device

    def knows(self, asked: Asked) -> bool:
        return self._who(asked) is not None

    def openly(self, asked: Asked) -> bool:
        """Whether what is said here could be read on the way."""
        return not asked.secure and not asked.local

    def secure_address(self, host: str, path: str, query: str = "") -> str:
        name = host.rpartition("]")[0] + "]" if host.startswith("[") else host.partition(":")[0]
        return f"https://{name}:{self._policy.secure_port}{quote(path)}{f'?{query}' if query else ''}"

    def _over_https(self, asked: Asked) -> Elsewhere:
        return Elsewhere(self.secure_address(asked.host, asked.path, asked.query), again=True)

    def _must_be_secure(self, asked: Asked) -> bool:
        return bool(self._policy.secure_port) and self.openly(asked)

    def _who(self, asked: Asked) -> Device | None:
        """A key counts before the place; a key over plain HTTP is a player's alone, as no other was given there."""
        device = self._guests.who(asked.bearer or _cookie(asked.cookie), asked.peer)
        if device is None and asked.local and not self._policy.shared:
            return THIS_MACHINE
        return device

    def _endpoint(self, asked: Asked) -> str:
        try:
            method = "GET" if asked.method == "HEAD" else asked.method
            return str(self._urls.match(asked.path, method=method)[0])
        except (HTTPException, RequestRedirect):
            return ""


def _cookie(text: str) -> str:
    try:
        found = SimpleCookie(text).get(COOKIE)
    except CookieError:
        return ""
    return found.value if found is not None else ""
