"""Who asks, for pages: what the front found out before them."""

from typing import Any

from flask import request

from cattailer.core.access.roles import THIS_MACHINE, Device, Role
from cattailer.core.errors import Refusal


def _state() -> dict[str, Any]:
    scope = request.environ.get("asgi.scope") or {}
    found: dict[str, Any] = scope.get("state") or {}
    return found


def device() -> Device | None:
    """None at the door. Without a front, as in a test of pages alone, it is this machine."""
    found: Device | None = _state().get("device", THIS_MACHINE)
    return found


def is_engineer() -> bool:
    found = device()
    return found is not None and found.role is Role.ENGINEER


def openly() -> bool:
    """Whether what is said here could be read on the way."""
    return bool(_state().get("openly"))


def secure_address(path: str) -> str:
    """The same over HTTPS, empty where there is none."""
    address = _state().get("secure_address")
    return str(address(path)) if address else ""


def refuse() -> None:
    """Says as a page what the front refused. Raises Refusal."""
    why: Refusal | None = _state().get("refusal")
    if why is not None:
        raise why
