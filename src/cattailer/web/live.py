"""One WebSocket for each page: telemetry out, wishes in.

Out: JSON texts with a ``topic`` (frame, wave, event, revision, check, levels, tuner, problem, and elsewhere
when the engine runs another session) and binary sound of a mix (32-bit float, stereo). In: ``listen``
to a mix (0: none), ``tune`` the row of a socket (0: none), ``levels`` while that stage is open, ``move`` controls, and
``settle`` when the hand lets go of them: then it is written down, as is what a page that is gone had moved. ``keys``
are those of the guide notes that are held down; a page that is gone holds none.
"""

import json
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from typing import Annotated, Any

from flask import Flask
from flask_sock import Sock
from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator
from simple_websocket import ConnectionClosed, Server

from cattailer.core.errors import Refusal
from cattailer.core.mix.moving import Move
from cattailer.engine.messages.telemetry import mix_topic
from cattailer.engine.process.client import Listener
from cattailer.services.desk.desk import Desk
from cattailer.services.session.reading import revision_of
from cattailer.services.stages.levels import tuning, watch
from cattailer.services.stages.levels.live import LiveLevels
from cattailer.services.stages.listen import gestures, guiding
from cattailer.services.stages.patch import linecheck

WAIT_MS = 20
TUNE_S = 0.12
MOST_SAID, MOST_AT_ONCE = 4096, 100
"""Bytes in a message, and messages in a twentieth of a second."""
FORGOTTEN_S = 2.0
MOST_LINES = 48
"""Pages that are told what moves. Each holds a thread, and some must be left for what is pressed, Stop above all."""
FULL = f"{MOST_LINES} pages are open already, so nothing moves on this one. Close some; what is pressed is still done."
UNKNOWN_WISH = "The page asked for something that is not known here. Reload it."


Key = Annotated[str, Field(max_length=40)]
Control = tuple[Key, Key, Key, Annotated[float, Field(allow_inf_nan=False, ge=-1e5, le=1e5)]]
"""(end, target, what, value), as in ``core.mix.moving``."""


class Wish(BaseModel):
    """What a page may ask for."""

    model_config = ConfigDict(extra="forbid", strict=True)
    listen: int | None = Field(default=None, ge=0, le=1 << 31)
    tune: int | None = Field(default=None, ge=0, le=1000)
    levels: bool = False
    move: list[Control] = Field(default=[], max_length=64)
    settle: bool = False
    keys: list[Annotated[int, Field(ge=0, le=127)]] | None = Field(default=None, max_length=16)

    @model_validator(mode="after")
    def _asks(self) -> "Wish":
        if not self.model_fields_set:
            raise ValueError("nothing is wished for")
        return self


def add_live(sock: Sock, app: Flask) -> None:
    lines = threading.BoundedSemaphore(MOST_LINES)

    @sock.route("/s/<int:session_id>/live")  # type: ignore[untyped-decorator]
    def live(ws: Server, session_id: int) -> None:
        if not lines.acquire(blocking=False):
            ws.send(json.dumps({"topic": "problem", "message": FULL}))
            ws.receive(timeout=0.2)
            return
        try:
            serve(ws, session_id)
        finally:
            lines.release()

    def serve(ws: Server, session_id: int) -> None:
        desk, care = app.extensions["desk"], app.extensions["care"]
        try:
            known = revision_of(desk, session_id)
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


class Hand:
    """What a page moves: heard at once, written down when it lets go, or when it is gone."""

    def __init__(self, desk: Desk, session_id: int) -> None:
        self._desk, self._session = desk, session_id
        self._moved: dict[tuple[str, str, str], Move] = {}

        self._newest: dict[tuple[str, str, str], Move] = {}
        self._at = 0.0
        self._holds = False

    def move(self, moves: list[Move]) -> None:
        """Of what comes within a moment the newest counts."""
        self._newest |= {m.of: m for m in moves}
        self._at = time.monotonic()

    @property
    def forgotten(self) -> bool:
        """Whether a page has moved something, and neither moves nor lets go of it."""
        return bool(self._moved) and time.monotonic() - self._at > FORGOTTEN_S

    def send(self) -> None:
        """Lets it be heard. Raises Refusal for what cannot be moved; that is forgotten."""
        newest, self._newest = self._newest, {}
        if newest:
            gestures.move(self._desk, self._session, list(newest.values()))
            self._moved |= newest

    def hold(self, keys: list[int]) -> None:
        """Guide notes. Raises Refusal."""
        self._holds = bool(keys)
        guiding.hold(self._desk, self._session, keys)

    def leave(self) -> None:
        """The page is gone."""
        if self._holds:
            with suppress(Refusal):
                self.hold([])
        with suppress(Refusal):
            self.let_go()

    def let_go(self) -> None:
        self.send()
        moved, self._moved = list(self._moved.values()), {}
        gestures.settle(self._desk, self._session, moved)


def _serve(ws: Server, listener: Listener, session_id: int, known: int, revisions: dict[int, int], desk: Desk) -> None:
    hand = Hand(desk, session_id)
    try:
        _talk(ws, listener, session_id, known, revisions, desk, hand)
    finally:
        _hear_out(ws, hand)
        hand.leave()


def _hear_out(ws: Server, hand: Hand) -> None:
    """What a page said just before it went."""
    with suppress(ConnectionClosed, ValidationError):
        while (text := ws.receive(timeout=0)) is not None:
            hand.move([Move(*control) for control in Wish.model_validate_json(text).move])


def _talk(
    ws: Server, listener: Listener, session_id: int, known: int, revisions: dict[int, int], desk: Desk, hand: Hand
) -> None:
    looked = elsewhere_at = tuned = 0.0
    checked, levels = linecheck.look(desk, session_id), desk.live.of(session_id, LiveLevels).count
    wish = Wish(levels=False)
    while True:
        for message in listener.receive(WAIT_MS):
            if message["topic"] == "mix":
                ws.send(message["pcm"])
            elif message["topic"] != "frame" or message["session"] == session_id:
                ws.send(json.dumps(message))
            elif time.monotonic() - elsewhere_at > 1.0:
                elsewhere_at = time.monotonic()
                ws.send(json.dumps({"topic": "elsewhere", "title": message["title"]}))
        newest = revisions.get(session_id, known)
        if newest != known:
            known = newest
            ws.send(json.dumps({"topic": "revision", "revision": known}))
        looked_at = linecheck.look(desk, session_id)
        if looked_at != checked:
            checked = looked_at
            ws.send(json.dumps({"topic": "check", "found": looked_at.found, "words": looked_at.words}))
        count = desk.live.of(session_id, LiveLevels).count
        if count != levels:
            levels = count
            ws.send(json.dumps({"topic": "levels"}))
        if wish.tune and time.monotonic() - tuned > TUNE_S:
            tuned = time.monotonic()
            ws.send(json.dumps(_tuned(desk, session_id, wish.tune)))
        if time.monotonic() - looked > 0.05:
            looked = time.monotonic()
            for _ in range(MOST_AT_ONCE):
                text = ws.receive(timeout=0)
                if text is None:
                    break
                wish = _grant(ws, listener, text, wish, hand)
                if wish.levels:
                    watch.keep_watching(desk, session_id)
            else:  # no page asks so much
                ws.close(1008, "too many messages")
                return
            _tell_refusal(ws, hand.let_go if hand.forgotten else hand.send)


def _grant(ws: Server, listener: Listener, text: Any, before: Wish, hand: Hand) -> Wish:
    try:
        wish = Wish.model_validate_json(text)
    except ValidationError:
        ws.send(json.dumps({"topic": "problem", "message": UNKNOWN_WISH}))
        return before
    if wish.listen is not None and wish.listen != before.listen:
        if before.listen:
            listener.drop(mix_topic(before.listen))
        if wish.listen:
            listener.add(mix_topic(wish.listen))
    hand.move([Move(*control) for control in wish.move])
    if wish.settle:
        _tell_refusal(ws, hand.let_go)
    keys = wish.keys
    if keys is not None:
        _tell_refusal(ws, lambda: hand.hold(keys))
    kept = {"tune": before.tune if wish.tune is None else wish.tune}
    return wish.model_copy(update={**kept, "listen": before.listen if wish.listen is None else wish.listen})


def _tell_refusal(ws: Server, what: Callable[[], None]) -> None:
    try:
        what()
    except Refusal as why:
        ws.send(json.dumps({"topic": "problem", "message": why.message}))


def _tuned(desk: Desk, session_id: int, socket: int) -> dict[str, Any]:
    """The note at a socket as the page shows it; empty when there is none."""
    try:
        note = tuning.hear(desk, session_id, socket, tuning.reference(desk, session_id))
    except Refusal:
        note = None
    if note is None:
        return {"topic": "tuner", "note": "", "cents": 0.0, "in_tune": False}
    name = f"{note.name}{note.octave}"
    return {"topic": "tuner", "note": name, "cents": round(note.cents, 1), "in_tune": note.in_tune}
