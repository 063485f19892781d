"""Sound files from elsewhere, such as a backing track, onto tracks of their own."""

import threading
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.naming import MAX_NAME, safe_part
from cattailer.core.takes.importing import IMPORTED, SINGLE, SPLITS, TrackPart, length_text, parts, why_not
from cattailer.core.time import ruler
from cattailer.core.wording import counted
from cattailer.media import importing, wavfile
from cattailer.media.journal import RunHeader, RunStory
from cattailer.media.soundfiles import Sound, Unkept, opened
from cattailer.services.desk.desk import Desk, log
from cattailer.services.desk.places import check_root, root_of
from cattailer.services.running import runs
from cattailer.services.running.runheader import written_run
from cattailer.services.session import tracks
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of
from cattailer.services.stages.capture import uploads
from cattailer.services.stages.capture.uploads import Cancelled, Upload
from cattailer.store.models import Session

NOT_IMPORTED = "the file was not imported"
DATABASE_AWAY = (OperationalError, PoolTimeout)


def place_of(session: Session, name: str, typed: str | None, stamp: int | None, rate_hz: int) -> int:
    """The timeline position that somebody typed (a bar, a beat or a time), or with None the one in the file's time
    stamp. Raises Refusal."""
    if typed is None:
        if stamp is None:
            raise Refusal(f"{name} has no time stamp. Type the bar or time at which it begins; nothing was changed.")
        start = rescaled(stamp, rate_hz, session.rate_hz)
    else:
        try:
            start = ruler.place(typed, tempo_of(session))
        except ValueError as why:
            said = str(why)
            raise Refusal(f"{said[0].upper()}{said[1:]}. Nothing was changed.") from why
    if not 0 <= start <= 24 * 3600 * session.rate_hz:
        raise Refusal(f"{name} would be outside the timeline (0 to 24 hours). Type a bar or time; nothing was changed.")
    return start


def import_file(
    desk: Desk, session_id: int, path: Path, name: str, place: str | None, split: str = SINGLE,
    tell: Callable[[int, int], None] = lambda done, total: None, partly: bool = False,
) -> str:
    """One file, from a place on (None: where its time stamp says). ``tell`` hears how many samples of how many
    are written, and may raise to stop. Returns words to stand beside its name. Raises Refusal for what is not sound,
    and where it cannot lie; Unkept for what does not keep what it promises, unless that is wanted ``partly``."""
    desk.forbid_while_capturing(session_id, "importing")
    if split not in SPLITS:
        raise Refusal("Channels become single tracks or pairs; nothing was changed.")
    stem = Path(name.replace("\\", "/")).stem[: MAX_NAME - 8].strip() or "Imported"
    with opened(path, name, partly) as sound:
        if reason := why_not(name, sound.channels, sound.samples, sound.rate_hz):
            raise Refusal(f"{reason} Nothing was changed.")
        with desk.database.transaction() as db:
            session = get_session(db, session_id)
            check_root(desk, session)
            start = place_of(session, name, place, wavfile.time_stamp(path), sound.rate_hz)
            size = sound.samples * session.rate_hz // sound.rate_hz * sound.channels * session.bits // 8
            uploads.check_room(root_of(desk, session), name, size)
            was = session.rate_hz
        made = parts(stem, sound.channels, split)
        ids = _add_tracks(desk, session_id, made)
        try:
            story, over_db = _write(desk, session_id, sound, stem, made, ids, start, tell)
        except OSError as why:
            tracks.remove_made_for(desk, session_id, ids, NOT_IMPORTED)
            raise NotNow(f"{name} could not be written ({why.strerror or why}); nothing was changed.") from why
        except BaseException:
            tracks.remove_made_for(desk, session_id, ids, NOT_IMPORTED)
            raise
    rate = f", {sound.rate_hz / 1000:g} kHz converted to {was / 1000:g}" if sound.rate_hz != was else ""
    loud = f", {over_db:.1f} dB over full scale and kept as float" if over_db else ""
    damaged = f", {counted(len(sound.damaged), 'damaged frame')}" if sound.damaged else ""
    length = length_text(story.samples, story.header.rate_hz)
    what = f"{counted(sound.channels, 'channel')}, {length}{rate}{loud}{damaged}"
    try:
        runs.enter_finished(desk, [story.path])
    except DATABASE_AWAY:  # whoever looks for finished runs enters it
        return f"{name} was written ({what}), but the database does not respond. Its tracks will show it once it does."
    return f"imported to {counted(len(made), 'track')} ({what})"


def _write(
    desk: Desk, session_id: int, sound: Sound, stem: str, made: tuple[TrackPart, ...], ids: list[int], start: int,
    tell: Callable[[int, int], None],
) -> tuple[RunStory, float]:
    """The run, and by how many dB it goes over full scale: such sound is kept as float, at its own level."""
    with desk.database.transaction() as db:
        header, folder, run = written_run(desk, db, get_session(db, session_id), ids, start, IMPORTED)
    header = replace(header, files=tuple(replace(f, source=safe_part(stem, 40)) for f in header.files))
    of_track = dict(zip(ids, made, strict=True))
    total = round(sound.samples * header.rate_hz / sound.rate_hz)

    def written(header: RunHeader) -> RunStory:
        return importing.import_sound(
            sound, folder, run, header, [of_track[f.track].channels for f in header.files],
            lambda done: tell(done, total),
        )

    try:
        return written(header), 0.0
    except importing.Louder as why:
        return written(replace(header, bits=importing.FLOAT)), why.over_db


def _add_tracks(desk: Desk, session_id: int, made: tuple[TrackPart, ...]) -> list[int]:
    with editing(desk, session_id) as edit:
        added = [tracks.add_one(edit, ("",) * len(part.channels), part.name) for part in made]
        edit.what = f"{counted(len(added), 'track')} added for {added[0].name}"
        return [track.id for track in added]


def begin(desk: Desk, session_id: int, place: str | None) -> None:
    """Imports all files that are here, one after the other, in the background. Raises Refusal for what can be seen to
    be wrong already, NotNow while others are imported or captured."""
    desk.forbid_while_capturing(session_id, "importing")
    live = uploads.of(desk, session_id)
    waiting = [u for u in uploads.listed(desk, session_id) if u.state == uploads.HERE]
    if not waiting:
        raise NotNow("No file is here yet. Choose one, and wait until it has arrived.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        check_root(desk, session)
        for upload in waiting:
            place_of(session, upload.name, place, upload.stamp, upload.rate_hz)
    with live.lock:
        if live.busy:
            raise NotNow("Files are being imported already. Wait until they are done.")
        live.busy = True
    threading.Thread(target=_import_all, args=(desk, session_id, waiting, place), name="import", daemon=True).start()


def _import_all(desk: Desk, session_id: int, waiting: list[Upload], place: str | None) -> None:
    try:
        for upload in waiting:
            if not upload.cancelled:
                _import_one(desk, session_id, upload, place)
    finally:
        uploads.of(desk, session_id).busy = False


def _import_one(desk: Desk, session_id: int, upload: Upload, place: str | None) -> None:
    def tell(done: int, total: int) -> None:
        upload.done, upload.to_do = done, total
        if upload.cancelled:
            raise Cancelled

    upload.state, upload.done, upload.message = uploads.IMPORTING, 0, ""
    try:
        message = import_file(desk, session_id, upload.path, upload.name, place, upload.split, tell, upload.partly)
    except Cancelled:
        uploads.take_off(desk, session_id, upload)
    except NotNow as why:  # it may do later: the file stays
        upload.state, upload.message = uploads.HERE, why.message
    except Unkept as why:  # seen only now that all of it was read
        upload.ask(why)
    except Refusal as why:
        upload.drop(uploads.FAILED, why.message)
    except DATABASE_AWAY:
        upload.state = uploads.HERE
        upload.message = "The database did not respond, so nothing was changed. Try importing again in a moment."
    except Exception as why:  # the next file is another matter
        log.exception("a file cannot be imported", name=upload.name)
        reason = f"{upload.name} could not be imported ({why}). Nothing was changed; the log says more."
        upload.drop(uploads.FAILED, reason)
    else:
        upload.drop(uploads.DONE, message)
