"""What is wrong here? Listens while somebody has the Levels stage open, and says so when it changes."""

import time
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from cattailer.core.advice import faults, hum
from cattailer.core.findings import Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import Patch, PatchInput
from cattailer.core.sound.lowend import LowEnd
from cattailer.core.sound.rowsound import RowListener, RowSound
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.listening import Heard
from cattailer.services.running.stageline import LiveFindings
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of
from cattailer.services.stages.levels.live import LiveLevels

ROUND_S = 4.0
STAYS_S = 15.0
Floats = NDArray[np.float32]
VOICES = ("voice", "vocal", "narrat", "sing", "speak", "speech", "host", "guest")


def keep_watching(desk: Desk, session_id: int) -> None:
    """To be called again and again while a page of the stage is open."""
    live = desk.live.of(session_id, LiveLevels)
    running = live.wanted_until > time.monotonic()
    live.wanted_until = time.monotonic() + STAYS_S
    if not running:
        desk.listening.listen(f"watch {session_id}", _Watch(desk, session_id, live))


def forget_clips(desk: Desk, session_id: int, socket: int | None = None) -> None:
    levels = desk.live.of(session_id, LiveLevels)
    with levels.lock:
        if socket is None:
            levels.clips.clear()
        else:
            levels.clips.pop(socket, None)
        live = desk.live.of(session_id, LiveFindings)
        live.put("levels", [
            f for f in live.get("levels")
            if not f.key.startswith("level:clip:") or (socket is not None and f.key != f"level:clip:{socket}")
        ])
        levels.count += 1


class _Watch:
    """Gathers rounds of a few seconds; after each, the rules are asked."""

    def __init__(self, desk: Desk, session_id: int, live: LiveLevels) -> None:
        self._desk, self._session, self._live = desk, session_id, live
        self._listener: RowListener | None = None
        self._low_end: LowEnd | None = None
        self._recent: list[Floats] = []
        self._gathered = 0

    def __call__(self, heard: Heard) -> bool:
        if self._live.wanted_until < time.monotonic():
            return False
        if heard.session != self._session:
            return True
        if self._low_end is None or heard.lost or heard.fresh:
            self._low_end, self._listener = LowEnd(len(heard.sound), heard.rate_hz), None
        if self._listener is None:
            self._listener, self._recent, self._gathered = RowListener(len(heard.sound), heard.rate_hz), [], 0
        self._listener.add(heard.sound)
        self._low_end.add(heard.sound)
        self._recent = [*self._recent[-3:], heard.sound]
        self._gathered += heard.sound.shape[1]
        if self._gathered >= ROUND_S * heard.rate_hz:
            self._judge(self._listener.sounds(), np.concatenate(self._recent, axis=1), self._low_end)
            self._listener = None
        return True

    def _judge(self, sounds: list[RowSound], recent: Floats, low_end: LowEnd) -> None:
        with self._desk.database.transaction() as db:
            session = get_session(db, self._session)
            patch, accepted = patch_of(session), frozenset(session.accepted)
            profile = self._desk.profile_or_blank(session.interface)
        live = self._live
        with live.lock:
            for n, sound in enumerate(sounds, 1):
                if sound.clips:
                    live.clips[n] = live.clips.get(n, 0) + sound.clips
            found, covered = judge(patch, profile, sounds, live.clips, recent, low_end, accepted)
            if self._desk.live.of(self._session, LiveFindings).put("levels", found) or covered != live.covered:
                live.covered, live.count = covered, live.count + 1
            live.sounds = sounds


def judge(
    patch: Patch, profile: Profile, sounds: list[RowSound], clips: dict[int, int], recent: Floats, low_end: LowEnd,
    accepted: frozenset[str] = frozenset(),
) -> tuple[list[Finding], tuple[str, ...]]:
    """The findings of a round, and who was never quiet enough to tell hum; what was heard is by socket."""
    icons = {f: t.icon for t in patch.tracks for f in t.feeds}
    playing = {n for n, s in enumerate(sounds, 1) if s.peak_dbfs > faults.LOUD_DBFS}
    rows = [
        faults.Row(
            i, profile, replace(sounds[i.socket - 1], clips=clips.get(i.socket, 0)), bool(playing - {i.socket}),
            is_voice(i, icons),
        )
        for i in patch.inputs
        if i.used and i.socket <= min(profile.inputs, len(sounds))
    ]
    listed = [r.input.socket - 1 for r in rows]
    same = faults.same_signals(recent[listed]) if listed else []
    humming = hum.find(low_end.lately[listed], low_end.rate_hz)
    found = [f for f in faults.look(rows, same, humming) if f.key not in accepted]
    return found, tuple(rows[n].name for n in sorted(humming.covered))


def is_voice(row: PatchInput, icons: dict[str, str]) -> bool:
    """Whether somebody speaks or sings there, by the track's icon or the words of the list."""
    words = f"{row.label} {row.source}".casefold()
    return icons.get(socket_end(row.socket)) == "voice" or any(v in words for v in VOICES)
