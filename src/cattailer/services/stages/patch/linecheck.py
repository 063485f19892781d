"""The line check as it goes on: what was asked, what was heard. The ticks are kept in the session."""

import threading
import time
from dataclasses import dataclass, field

import numpy as np

from cattailer.core.errors import NotNow
from cattailer.core.patch.linecheck import RiseFinder, Stop, Walk, loudest
from cattailer.engine.messages.telemetry import Frame
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.session.compiling import preamps_of
from cattailer.services.session.editing import editing
from cattailer.services.session.inputs import exchange
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of

SEARCH_S = 20.0
PATIENCE_S = 8.0


@dataclass
class LiveWalk:
    """A walk that listens. ``count`` goes up with every change, so that pages know; ``found`` is the
    socket of "which one is this?". ``lock`` guards it: pages and the listening thread both move it."""

    walk: Walk
    names: dict[int, str]
    dark: frozenset[int] = frozenset()
    condensers: frozenset[int] = frozenset()
    since: float = field(default_factory=time.monotonic)
    quiet: bool = False
    rises: RiseFinder = field(default_factory=RiseFinder)
    searching_until: float = 0.0
    found: int = 0
    count: int = 0
    lock: threading.Lock = field(default_factory=threading.Lock)

    @property
    def listening(self) -> bool:
        return not self.walk.over or self.searching_until > time.monotonic()

    def words(self) -> str:
        return self.walk.words(self.names, self.dark, self.condensers, self.quiet)

    def move(self, walk: Walk) -> None:
        """To be called with the lock held."""
        self.walk, self.since, self.quiet = walk, time.monotonic(), False
        self.count += 1


@dataclass(frozen=True)
class Glance:
    """What open pages are told: something changed (``count``), and the socket that was found."""

    count: int = 0
    found: int = 0
    words: str = ""


def look(desk: Desk, session_id: int) -> Glance:
    live = desk.live.find(session_id, LiveWalk)
    if live is None:
        return Glance()
    name = live.names.get(live.found, "")
    words = f"Heard at socket {live.found}{f': {name}' if name else ''}" if live.found else ""
    return Glance(live.count, live.found, words)


def begin(desk: Desk, session_id: int) -> None:
    """Starts at the first row that is not ticked yet. Raises NotNow when nothing is listed."""
    need_open(desk, session_id)
    live = _make(desk, session_id)
    if not live.walk.stops:
        raise NotNow("Nothing is listed at any socket yet. Fill in the input list first.")
    if live.walk.over:  # all ticked: once more from the start
        live.walk = Walk(live.walk.stops)
    standin.ask_players(desk, "rest")
    _put(desk, session_id, live)


def end(desk: Desk, session_id: int) -> None:
    """Ends the walk where it is; ticks stay. The stand-in's players go on."""
    live = desk.live.take(session_id, LiveWalk)
    if live is not None and live.walk.stops and not live.walk.over:
        standin.ask_players(desk, "follow")


def which_is_this(desk: Desk, session_id: int) -> None:
    """Listens for the loudest new row, for a while."""
    need_open(desk, session_id)
    live = desk.live.find(session_id, LiveWalk)
    if live is None:
        live = _make(desk, session_id)
        live.walk = Walk(())
        _put(desk, session_id, live)
    with live.lock:
        live.rises.forget()
        live.searching_until, live.found = time.monotonic() + SEARCH_S, 0
        live.count += 1


def step(desk: Desk, session_id: int, what: str, socket: int = 0) -> None:
    """"tick" the asked row by hand, "skip" it, or go "to" a socket's row. Raises NotNow when no check runs."""
    live = _need(desk, session_id)
    with live.lock:
        before = live.walk
        live.move(before.tick() if what == "tick" else before.skip() if what == "skip" else before.go_to(socket))
    _keep(desk, session_id, before, live.walk)


def swap_in_list(desk: Desk, session_id: int) -> None:
    """The asked source is where it was heard: both change places in the list, and the row is ticked."""
    live = _need(desk, session_id)
    asked, heard = live.walk.asked, live.walk.heard_at
    if asked is None or not heard:
        raise NotNow("Nothing was heard elsewhere, so there is nothing to swap.")
    exchange(desk, session_id, asked.socket, heard)
    fresh = _make(desk, session_id)
    with live.lock:
        before = live.walk
        live.names, live.dark, live.condensers = fresh.names, fresh.dark, fresh.condensers
        at = next((n for n, s in enumerate(fresh.walk.stops) if s.socket == heard), 0)
        before = Walk(fresh.walk.stops, at, before.done - {heard, asked.socket})
        live.move(before.tick())
        live.rises.forget()
    _keep(desk, session_id, before, live.walk)


def hear(desk: Desk, session_id: int, frame: Frame) -> None:
    """Takes one frame of telemetry; called 30 times a second while a walk listens."""
    live = desk.live.find(session_id, LiveWalk)
    if live is None or not live.listening or frame["muted"]:
        return
    with live.lock:
        rises = live.rises.hear(np.array(frame["inputs"]["peak"][: frame["sockets"]]))
        if rises is None:
            if not live.quiet and not live.walk.heard_at and time.monotonic() - live.since > PATIENCE_S:
                live.quiet, live.count = True, live.count + 1
            return
        before = live.walk
        if live.searching_until > time.monotonic():
            live.found, live.searching_until = loudest(rises) or 0, 0.0
            live.count += 1
        else:
            live.move(before.hear(rises))
        after = live.walk
    _keep(desk, session_id, before, after)


def _make(desk: Desk, session_id: int) -> LiveWalk:
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
    rows = [i for i in patch.inputs if i.used and i.socket <= profile.inputs and i.pickup != "software"]
    stops = tuple(Stop(i.socket, i.name or f"socket {i.socket}") for i in rows)
    done = frozenset(i.socket for i in rows if i.checked)
    at = next((n for n, s in enumerate(stops) if s.socket not in done), len(stops))
    powered = {n for n, on in enumerate(preamps_of(patch, profile).phantom, 1) if on}
    dark = frozenset(s.number for s in profile.sockets if s.number not in powered)
    condensers = frozenset(i.socket for i in rows if i.pickup == "condenser")
    return LiveWalk(Walk(stops, at, done), {i.socket: i.name for i in rows}, dark, condensers)


def _put(desk: Desk, session_id: int, live: LiveWalk) -> None:
    old = desk.live.find(session_id, LiveWalk)
    live.count = old.count + 1 if old is not None else 1
    desk.live.put(session_id, live)


def _need(desk: Desk, session_id: int) -> LiveWalk:
    live = desk.live.find(session_id, LiveWalk)
    if live is None:
        raise NotNow("No line check is under way. Start it first.")
    return live


def _keep(desk: Desk, session_id: int, before: Walk, after: Walk) -> None:
    if after.over and not before.over:
        standin.ask_players(desk, "follow")
    if after.done - before.done:
        _tick(desk, session_id, after.done - before.done)


def _tick(desk: Desk, session_id: int, sockets: set[int] | frozenset[int]) -> None:
    with editing(desk, session_id) as edit:
        rows = [edit.input(s) for s in sorted(sockets)]
        edit.what = f"Line check: {', '.join(f'{r.label or r.source} heard at socket {r.socket}' for r in rows)}"
        edit.state = "fixed"
        for row in rows:
            row.checked = True
