"""No stranger's page in: what a browser on the studio machine may do here on behalf of other sites, which is nothing.

It is checked before anything is looked up or opened, for pages, files and WebSockets alike.
"""

import ipaddress
import os
import socket
from functools import cache
from urllib.parse import urlsplit

from flask import Flask, Response, request

from cattailer.core.errors import Refusal

ELSEWHERE = "That came from a page of another site, so nothing was done. Type the address of this page yourself."
HEADERS = {
    # Styles in attributes carry widths and columns that a page works out; scripts and style sheets come as files.
    "Content-Security-Policy": (
        "default-src 'self'; style-src 'self'; style-src-attr 'unsafe-inline'; img-src 'self' data:; "
        "object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "X-Frame-Options": "DENY",
    # Not "no-referrer": with that, the form of the door says that it comes from nowhere.
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Resource-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}


def keep_out(app: Flask) -> None:
    app.before_request(_refuse)
    app.after_request(_mark)


def _refuse() -> None:
    headers = request.headers
    site = None if is_led_here(request.method, request.path) else headers.get("Sec-Fetch-Site")
    refuse_strangers(request.scheme, request.host, headers.get("Origin"), site)


def is_led_here(method: str, path: str) -> bool:
    """The door, to which a link may lead from anywhere: from our own page on plain HTTP too, which is another site for
    browsers."""
    return method in ("GET", "HEAD") and (path == "/door" or path.startswith("/door/"))


def refuse_strangers(scheme: str, host: str, origin: str | None, site: str | None) -> None:
    """``origin`` and ``site`` are what the browser says of the page that asks. Raises Refusal."""
    if not is_ours(host):
        raise Refusal(f"This machine is not called {host[:80]!r}. Use its address or its own name.", 421)
    # "null" is what a sandboxed frame or a file says.
    if origin is not None and _site(origin) != (scheme, host):
        raise Refusal(ELSEWHERE, 403)
    if site == "cross-site":
        raise Refusal(ELSEWHERE, 403)


def _site(origin: str) -> tuple[str, str]:
    try:
        parts = urlsplit(origin)
        scheme = {"ws": "http", "wss": "https"}.get(parts.scheme, parts.scheme)
        return scheme, parts.netloc
    except ValueError:
        return "", ""


def is_ours(host: str) -> bool:
    """Whether a Host is an address or one of this machine's names: a name of another site that was made to point here
    (DNS rebinding) is neither."""
    try:
        name = urlsplit(f"//{host}").hostname or ""
    except ValueError:
        return False
    try:
        ipaddress.ip_address(name)
    except ValueError:
        return name.rstrip(".").lower() in _names()
    return True


@cache
def _names() -> frozenset[str]:
    own = socket.gethostname().lower()
    given = os.environ.get("CATTAILER_NAMES", "").lower().split(",")
    short = own.partition(".")[0]
    return frozenset(n for n in ("localhost", own, short, f"{short}.local", *given) if n)


def _mark(response: Response) -> Response:
    for name, value in HEADERS.items():
        response.headers.setdefault(name, value)
    return response
