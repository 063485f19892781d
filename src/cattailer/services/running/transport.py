"""Rolling, capturing, stopping, and going somewhere."""

import math
import uuid
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import func, orm, select
from sqlalchemy.exc import OperationalError

from cattailer.core.advice.gainadvice import net_gain_db, source_key
from cattailer.core.errors import NotNow
from cattailer.core.gear.interface import Profile
from cattailer.core.naming import distinct, file_stem
from cattailer.core.patch.patch import Patch, in_words, socket_of
from cattailer.core.time.clicking import ClickPlan
from cattailer.core.time.timeline import BEFORE_ZERO_S
from cattailer.services.desk.desk import Desk, log
from cattailer.services.running import runs
from cattailer.services.session.editing import get_session
from cattailer.services.session.planning import compile_plan, patch_of, take_spans, tempo_of
from cattailer.services.session.sessions import disk_minutes_left, open_session
from cattailer.store.models import Run, Session

LEAST_MINUTES = 0.5


def roll(desk: Desk, session_id: int) -> dict[str, Any]:
    open_session(desk, session_id)
    return dict(desk.engine.ask("roll", count=_count_bars(desk, session_id, "rolling")))


def _count_bars(desk: Desk, session_id: int, state: str) -> int:
    with desk.database.transaction() as db:
        return ClickPlan.from_dict(get_session(db, session_id).clicking).counts_before(state)


def stop(desk: Desk, session_id: int) -> dict[str, Any]:
    """Stops. What was captured is entered at once; if that fails now it is entered a little later."""
    _need_open(desk, session_id)
    answer = dict(desk.engine.ask("stop", 20.0))
    if answer["journal"]:
        try:
            runs.enter_finished(desk, [Path(answer["journal"])])
        except OperationalError:
            log.warning("the database is away; the run is entered when it is back", journal=answer["journal"])
    return answer


def locate(desk: Desk, session_id: int, position: int) -> dict[str, Any]:
    _need_open(desk, session_id)
    return dict(desk.engine.ask("locate", position=position))


def go_to_bar(desk: Desk, session_id: int, bar: int) -> dict[str, Any]:
    """Goes to the first beat of a bar, wherever bar 1 stands."""
    with desk.database.transaction() as db:
        position = tempo_of(get_session(db, session_id)).sample_of(bar)
    return locate(desk, session_id, position)


def move_bars(desk: Desk, session_id: int, bars: int) -> dict[str, Any]:
    """Goes to the start of a bar: 0 of this one, -1 the one before, 1 the next. Before 0 it goes only as far as there
    is something to hear."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tempo = tempo_of(session)
        first = min([0, *(s.start for track in session.tracks for s in take_spans(desk, session, track))])
    here = int(desk.engine.ask("status").get("position") or 0)
    bar = tempo.bar_beat_at(here).bar
    if bars < 0 and here > tempo.sample_of(bar):
        bars += 1
    return locate(desk, session_id, max(first, -BEFORE_ZERO_S * tempo.rate_hz, tempo.sample_of(bar + bars)))


def capture(
    desk: Desk, session_id: int, track_ids: list[int] | None = None, samples: int | None = None, note: str = ""
) -> dict[str, Any]:
    """Captures the armed tracks, or those given, from where the timeline stands, for ``samples`` if given.

    There is a count-in before it if the session has one, but not before ``samples`` of something.

    Raises NotNow when none is armed or the disk is too full, and what the engine refuses.
    """
    open_session(desk, session_id)
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        armed = [t for t in session.tracks if (t.armed if track_ids is None else t.id in track_ids)]
        if not armed:
            raise NotNow("No track is armed, so there is nothing to capture. Arm at least one (X arms the row).")
        channels = sum(len(t.feeds) for t in armed)
        if disk_minutes_left(desk, channels, session.rate_hz, session.bits) < LEAST_MINUTES:
            raise NotNow("The disk has less than half a minute left for these tracks. Free some space first.")
        head, folder, stem = _head(desk, session, _next_number(desk, db, session), [t.id for t in armed])
        head["note"] = note
        count = ClickPlan.from_dict(session.clicking).counts_before("capturing") if samples is None else 0
    return dict(desk.engine.ask("capture", head=head, folder=str(folder), stem=stem, samples=samples, count=count))


def single_head(
    desk: Desk, db: orm.Session, session: Session, track_id: int, start: int, what: str
) -> tuple[dict[str, Any], Path, str]:
    """Head, folder and stem of a run that writes one track from ``start`` on without capturing anything."""
    head, folder, stem = _head(desk, session, _next_number(desk, db, session), [track_id])
    head["files"][0]["feed"] = what
    return {**head, "start": start, "note": what}, folder, stem


def _next_number(desk: Desk, db: orm.Session, session: Session) -> int:
    known = db.scalar(select(func.max(Run.number)).where(Run.session_id == session.id)) or 0
    return 1 + max(known, _last_on_disk(desk, session))


def _last_on_disk(desk: Desk, session: Session) -> int:
    """The highest run number that has a folder: the database may not know the newest yet."""
    taken = [int(p.name[4:]) for p in (desk.media / session.folder).glob("run-*") if p.name[4:].isdigit()]
    return max(taken, default=0)


def _head(desk: Desk, session: Session, number: int, chosen: list[int]) -> tuple[dict[str, Any], Path, str]:
    now = datetime.now().astimezone()
    plan, patch, profile = compile_plan(desk, session), patch_of(session), desk.profile_or_blank(session.interface)
    feeds = {t.id: in_words(t.feeds, {g.id: g.name for g in patch.groups}) for t in patch.tracks}
    armed = [t for t in plan.tracks if t.id in chosen]
    tokens = {
        "session": session.title, "code": session.code or session.title, "run": f"{number:02}",
        "date": now.date().isoformat(),
    }
    stems = distinct([file_stem(session.name_pattern, track=t.name, socket=feeds[t.id], **tokens) for t in armed])
    head = {
        "run": str(uuid.uuid4()), "number": number, "session": session.id, "title": session.title,
        "rate_hz": session.rate_hz, "bits": session.bits, "start": 0,
        "began_at": now.isoformat(timespec="seconds"),
        "files": [
            {
                "track": t.id, "name": t.name, "path": f"{stem}.wav", "channels": len(t.inputs),
                "inputs": list(t.inputs), "feed": _fed(feeds[t.id]), **_played(patch, profile, t.id),
            }
            for t, stem in zip(armed, stems, strict=True)
        ],
    }
    folder = desk.media / session.folder / f"run-{number:03}"
    return head, folder, f"run-{number:03}"


def _fed(words: str) -> str:
    return f"socket {words}" if words.replace("+", "").replace(" ", "").isdecimal() else words


def _played(patch: Patch, profile: Profile, track_id: int) -> dict[str, Any]:
    """Who plays on a track, and through how much gain: what sound checks are later compared with."""
    feeds = next((t.feeds for t in patch.tracks if t.id == track_id), ())
    row = next((r for f in feeds if (n := socket_of(f)) and n <= profile.inputs and (r := patch.input(n))), None)
    return {"source": source_key(row), "gain_db": net_gain_db(row, profile)} if row else {}


def time_left_text(minutes: float) -> str:
    """Disk time in words."""
    if minutes >= 600:
        return f"{math.floor(minutes / 60):,} h"
    if minutes >= 60:
        return f"{math.floor(minutes / 60)} h {math.floor(minutes % 60):02} min"
    return f"{math.floor(minutes)} min"


def _need_open(desk: Desk, session_id: int) -> None:
    state = desk.engine.ask("status")
    if state["session"] != session_id:
        raise NotNow("This session is not open in the engine. Press Roll or Capture to open it.")

