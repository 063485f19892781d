"""The sound check: rows are picked, the players play, and each row gets advice with its sum."""

from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import orm, select

from cattailer.core.advice import gainadvice, stereo
from cattailer.core.advice.gainadvice import Advice, Margin, Preamp
from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.interface import Profile
from cattailer.core.patch.ends import socket_of
from cattailer.core.patch.patch import Patch, PatchInput
from cattailer.core.sound.meters import own_or_usual
from cattailer.core.sound.rowsound import RowListener, RowSound
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.listening import Heard
from cattailer.services.session.editing import Edit, count_on, editing
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of
from cattailer.services.stages.levels.live import LiveCheck, LiveLevels
from cattailer.store.measured import Check
from cattailer.store.models import Run, Session, Take

SHORTEST_S = 2.0
REMEMBERED = 50


def begin(desk: Desk, session_id: int, phase: str, sockets: list[int] | None = None) -> None:
    """Listens to some sockets, or to all that are listed. Raises NotNow when nothing is listed."""
    if phase not in gainadvice.PHASES:
        raise Refusal("A sound check is a check or a performance; nothing was begun.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        patch, inputs = patch_of(session), desk.profile_or_blank(session.interface).inputs
    listed = [i.socket for i in patch.inputs if i.used and i.socket <= inputs]
    chosen = tuple(s for s in listed if sockets is None or s in sockets)
    if not chosen:
        raise NotNow("Nothing is listed at these sockets. Fill in Patch first, or tick rows.")
    need_open(desk, session_id)
    listen(desk, session_id, LiveCheck(chosen, phase))


def listen(desk: Desk, session_id: int, check: LiveCheck) -> None:
    """Begins a check or a measurement; one that runs gives way. Those with a length end by themselves."""
    live = desk.live.of(session_id, LiveLevels)
    with live.lock:
        check.running = True
        live.check, live.count = check, live.count + 1

    def hear(heard: Heard) -> bool:
        with live.lock:
            if live.check is not check or not check.running:
                return False
            if heard.session == session_id:
                if check.listener is None or heard.fresh:  # at another rate everything begins again
                    check.listener = RowListener(len(heard.sound), heard.rate_hz)
                check.listener.add(heard.sound)
            over = bool(check.seconds_wanted) and check.seconds >= check.seconds_wanted
        if over:
            end(desk, session_id)
        return not over

    desk.listening.listen(f"check {session_id}", hear)


def end(desk: Desk, session_id: int) -> int:
    """Ends it and keeps what was heard; returns how many rows gave a signal.

    Raises NotNow when none runs, or when it was too short to tell anything.
    """
    live = desk.live.of(session_id, LiveLevels)
    with live.lock:
        check = live.check
        if not check.running:
            raise NotNow("No sound check is running. Press “Listen to a check” first.")
        sounds = check.listener.sounds() if check.listener else []
        check.running, check.listener, live.count = False, None, live.count + 1
    if not sounds or sounds[0].seconds < SHORTEST_S:
        raise NotNow(f"Under {SHORTEST_S:.0f} s is too short to tell anything, so nothing was kept. Listen again.")
    kept = keep(desk, session_id, check.phase, check.sockets, sounds)
    return sum(sounds[s - 1].peak_dbfs > gainadvice.SILENT_DBFS for s in kept)


def keep(
    desk: Desk, session_id: int, phase: str, sockets: tuple[int, ...], sounds: list[RowSound]
) -> tuple[int, ...]:
    """Enters a check (or "noise") with how each preamp was set at that time; returns the sockets that are there."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        patch, profile = patch_of(session), desk.profile_or_blank(session.interface)
        present = tuple(s for s in sockets if s <= min(profile.inputs, len(sounds)))
        rows = [_kept(patch.input(s) or PatchInput(s), profile, sounds[s - 1]) for s in present]
        db.add(Check(session_id=session_id, phase=phase, seconds=round(sounds[0].seconds, 2), rows=rows))
        count_on(db, session)
        return present


def _kept(row: PatchInput, profile: Profile, sound: RowSound) -> dict[str, Any]:
    return {
        "socket": row.socket, "source": gainadvice.source_key(row), "gain_db": gainadvice.net_gain_db(row, profile),
        "peak_dbfs": round(sound.peak_dbfs, 2), "true_peak_dbtp": round(sound.true_peak_dbtp, 2),
        "rms_dbfs": round(sound.rms_dbfs, 2), "crest_db": round(sound.crest_db, 2), "clips": sound.clips,
        "floor_dbfs": round(sound.floor_dbfs, 2), "octaves": [[f, round(v, 1)] for f, v in sound.octaves_dbfs()],
        "quiet": [[f, round(v, 1)] for f, v in sound.octaves_dbfs(True)],
    }


@dataclass(frozen=True)
class RowAdvice:
    """Advice for a socket as it is set now, and what the check said of it."""

    socket: int
    advice: Advice
    check: dict[str, Any]
    phase: str
    age: str


def advice(db: orm.Session, session: Session, patch: Patch, profile: Profile) -> dict[int, RowAdvice]:
    """By socket, from the newest check of each row, as its preamp is set now."""
    checks = db.scalars(
        select(Check).where(Check.session_id == session.id, Check.phase.in_(list(gainadvice.PHASES)))
        .order_by(Check.id.desc()).limit(REMEMBERED)
    ).all()
    margins = margins_of(db)
    usual = (session.window_dbfs[0], session.window_dbfs[1])
    windows = windows_of(patch, usual)
    out: dict[int, RowAdvice] = {}
    preamps: dict[int, Preamp] = {}
    for check in checks:
        for said in check.rows:
            row = patch.input(said["socket"])
            if row is None or row.socket in out or row.socket > profile.inputs:
                continue
            preamp = gainadvice.preamp_of(row, profile)
            if preamp is None or gainadvice.source_key(row) != said["source"]:
                continue
            preamps[row.socket] = preamp
            heard = gainadvice.Heard(check.phase, said["peak_dbfs"], said["floor_dbfs"], said["clips"])
            heard = heard.through(gainadvice.net_gain_db(row, profile) - said["gain_db"])
            window = windows.get(row.socket, usual)
            advised = gainadvice.advise(heard, preamp, window, margins.get(said["source"], Margin()))
            out[row.socket] = RowAdvice(row.socket, advised, said, check.phase, check.at.astimezone().strftime("%H:%M"))
    for left, right in stereo.pairs_of(patch):
        if left in out and right in out:
            names = tuple(row.name if (row := patch.input(s)) else "" for s in (left, right))
            one, other = stereo.paired(
                (out[left].advice, out[right].advice), (preamps[left], preamps[right]), (names[0], names[1])
            )
            out[left], out[right] = replace(out[left], advice=one), replace(out[right], advice=other)
    return out


def windows_of(patch: Patch, window: tuple[float, float]) -> dict[int, tuple[float, float]]:
    """The target window of each socket: that of the first track which it feeds."""
    out: dict[int, tuple[float, float]] = {}
    for track in patch.tracks:
        own = own_or_usual(track.window, window)
        for feed in track.feeds:
            if (socket := socket_of(feed)) is not None:
                out.setdefault(socket, own)
    return out


def margins_of(db: orm.Session) -> dict[str, Margin]:
    """What each player's takes were louder than the check before them, over all sessions."""
    newest = select(Check).where(Check.phase == "check").order_by(Check.at.desc()).limit(4 * REMEMBERED)
    checks = db.scalars(newest).all()
    said: dict[tuple[int, str], list[tuple[Any, float]]] = {}
    for check in checks:
        for row in check.rows:
            if not row["clips"] and row["peak_dbfs"] > gainadvice.SILENT_DBFS:
                kept = said.setdefault((check.session_id, row["source"]), [])
                kept.append((check.at, row["peak_dbfs"] - row["gain_db"]))
    sources = sorted({source for _, source in said})
    if not sources:
        return {}
    takes = db.execute(
        select(Run.session_id, Take.source, Take.peak_dbfs, Take.gain_db, Run.began_at).join(Run, Take.run_id == Run.id)
        .where(Take.source.in_(sources), Take.gain_db.is_not(None), Take.clips == 0)
        .where(Take.peak_dbfs > gainadvice.SILENT_DBFS)
        .order_by(Run.began_at.desc()).limit(400)
    ).all()
    pairs: dict[str, list[tuple[float, float]]] = {}
    for session_id, source, peak, gain, began_at in takes:
        before = next((level for at, level in said.get((session_id, source), []) if at <= began_at), None)
        if before is not None and gain is not None:
            pairs.setdefault(source, []).append((before, peak - gain))
    return {s: gainadvice.learned([c for c, _ in p], [t for _, t in p]) for s, p in pairs.items()}


def apply(desk: Desk, session_id: int, sockets: list[int] | None = None) -> list[int]:
    """Sets gains and pads as advised, for some sockets, with the other sides of their pairs, or for all; returns those
    that changed.

    Sockets whose gain only a hand can set are left out. Raises NotNow when there is nothing to do,
    or when a pad must change while a capture runs.
    """
    with editing(desk, session_id) as edit:
        patch, profile = patch_of(edit.session), desk.profile(edit.session.interface)
        advised = advice(edit.db, edit.session, patch, profile)
        if sockets is not None:
            sockets = [s for pair in stereo.pairs_of(patch) if set(pair) & set(sockets) for s in pair] + sockets
        due = [
            a for s, a in sorted(advised.items())
            if a.advice.changes and (sockets is None or s in sockets) and profile.socket(s).remote
        ]
        if not due:
            raise NotNow("There is nothing to change: the advice is followed already, or there is none.")
        if any(a.advice.pad_in != edit.input(a.socket).pad for a in due):
            desk.forbid_while_capturing(session_id, "switching a pad")
        edit.what = _told(edit, due)
        for a in due:
            row = edit.input(a.socket)
            row.gain_db, row.pad = a.advice.gain_db, a.advice.pad_in
        return [a.socket for a in due]


def _told(edit: Edit, due: list[RowAdvice]) -> str:
    if len(due) == 1:
        row, a = edit.input(due[0].socket), due[0].advice
        pad = "" if row.pad == a.pad_in else ", pad in" if a.pad_in else ", pad out"
        return f"Gain of socket {row.socket} from {row.gain_db:+g} to {a.gain_db:+g} dB{pad} (sound check)"
    return f"Sound check applied at sockets {', '.join(str(a.socket) for a in due)}"
