"""One WebSocket for each page: telemetry out, wishes in.

Out: JSON texts with a ``topic`` (frame, wave, event, revision, check, problem, and elsewhere when the
engine runs another session) and binary main-mix sound
(32-bit float, stereo). In: ``{"listen": true}`` or false.
"""

import json
import time
from typing import Any

from flask import Flask
from flask_sock import Sock
from pydantic import BaseModel, ConfigDict, ValidationError
from simple_websocket import ConnectionClosed, Server

from cattailer.core.errors import Refusal
from cattailer.engine.client import Listener
from cattailer.services import linecheck, sheet
from cattailer.services.desk import Desk

WAIT_MS = 20
UNKNOWN_WISH = "The page asked for something that is not known here. Reload it."


class Wish(BaseModel):
    """What a page may ask for."""

    model_config = ConfigDict(extra="forbid", strict=True)
    listen: bool


def add_live(sock: Sock, app: Flask) -> None:
    @sock.route("/s/<int:session_id>/live")  # type: ignore[untyped-decorator]
    def live(ws: Server, session_id: int) -> None:
        desk, care = app.extensions["desk"], app.extensions["care"]
        try:
            known = sheet.show(desk, session_id).revision
        except Refusal as why:
            ws.send(json.dumps({"topic": "problem", "message": why.message}))
            ws.receive(timeout=5)  # so that the page can read it before the line is closed
            return
        listener = Listener(desk.telemetry, ("frame", "wave", "event"))
        try:
            _serve(ws, listener, session_id, known, care.revisions, desk)
        except ConnectionClosed:
            pass
        finally:
            listener.close()


def _serve(ws: Server, listener: Listener, session_id: int, known: int, revisions: dict[int, int], desk: Desk) -> None:
    looked = told = 0.0
    checked = linecheck.look(desk, session_id)
    while True:
        for topic, message in listener.receive(WAIT_MS):
            if topic == "mix":
                ws.send(message["pcm"])
            elif topic != "frame" or message["session"] == session_id:
                ws.send(json.dumps({**message, "topic": topic}))
            elif time.monotonic() - told > 1.0:
                told = time.monotonic()
                ws.send(json.dumps({"topic": "elsewhere", "title": message["title"]}))
        newest = revisions.get(session_id, known)
        if newest != known:
            known = newest
            ws.send(json.dumps({"topic": "revision", "revision": known}))
        here = linecheck.look(desk, session_id)
        if here != checked:
            checked = here
            ws.send(json.dumps({"topic": "check", "found": here.found, "words": here.words}))
        if time.monotonic() - looked > 0.05:
            looked = time.monotonic()
            text = ws.receive(timeout=0)
            if text is not None:
                _grant(ws, listener, text)


def _grant(ws: Server, listener: Listener, text: Any) -> None:
    try:
        wish = Wish.model_validate_json(text)
    except ValidationError:
        ws.send(json.dumps({"topic": "problem", "message": UNKNOWN_WISH}))
        return
    (listener.add if wish.listen else listener.drop)("mix")
