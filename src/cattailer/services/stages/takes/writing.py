"""Writing out what is in use, in the background, into a folder of its own beside the session's media."""

import threading
from dataclasses import dataclass, field
from pathlib import Path

from cattailer.core.errors import NotNow
from cattailer.core.naming import distinct, file_stem
from cattailer.core.wording import counted
from cattailer.media import writtenout
from cattailer.media.writtenout import Wanted
from cattailer.services.desk.desk import Desk, log
from cattailer.services.desk.disk import disk_minutes_left
from cattailer.services.desk.places import check_root, folder_of, root_of
from cattailer.services.session import trying
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.reading import get_session

FOLDER = "in-use"


@dataclass
class LiveWriting:
    """What is being written, or was written last; ``words`` once it ended."""

    total: int = 0
    done: int = 0
    going: bool = False
    folder: str = ""
    words: str = ""
    wrong: bool = False
    stop: threading.Event = field(default_factory=threading.Event)


def begin(desk: Desk, session_id: int, as_it_lies: bool) -> None:
    """One Broadcast WAV a track, all from bar 1 on or from the first sound of any. Raises NotNow while one is written,
    while something is captured, where nothing is in use, or without room on the disk."""
    desk.forbid_while_capturing(session_id, "writing what is in use")
    running = desk.live.find(session_id, LiveWriting)
    if running is not None and running.going:
        raise NotNow("What is in use is being written already. Wait, or stop it.")
    trying.end(desk, session_id)  # that is not in use
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        check_root(desk, session)
        plan, folder = compile_plan(desk, session), folder_of(desk, session)
        root, rate, bits, title = root_of(desk, session), session.rate_hz, session.bits, session.title
    tracks = [(t.id, t.name, len(t.inputs)) for t in plan.tracks]
    stems = distinct([file_stem("{session}_{track}", session=title, track=name) for _, name, _ in tracks])
    wanted = writtenout.in_use(tracks, stems, plan.pieces, plan.tempo.sample_of(1), as_it_lies)
    if not wanted:
        raise NotNow("Nothing is in use yet, so there is nothing to write.")
    minutes = sum(w.samples * w.channels for w in wanted) / rate / 60.0
    if disk_minutes_left(root, 1, rate, bits) < 1.05 * minutes + 1.0:
        raise NotNow("The disk has no room for these files. Free some space; nothing was written.")
    made = _new_folder(folder)
    live = LiveWriting(sum(w.samples for w in wanted), going=True, folder=str(made))
    desk.live.put(session_id, live)
    threading.Thread(target=_run, args=(live, wanted, made, title, rate, bits), daemon=True).start()


def state(desk: Desk, session_id: int) -> LiveWriting:
    return desk.live.find(session_id, LiveWriting) or LiveWriting()


def stop(desk: Desk, session_id: int) -> None:
    """Files that are whole stay."""
    state(desk, session_id).stop.set()


def _new_folder(folder: Path) -> Path:
    number = 1
    while (made := folder / f"{FOLDER}-{number:03}").exists():
        number += 1
    made.mkdir(parents=True)
    return made


def _run(live: LiveWriting, wanted: list[Wanted], folder: Path, title: str, rate_hz: int, bits: int) -> None:
    def tell(samples: int) -> bool:
        live.done += samples
        return not live.stop.is_set()

    missing: list[str] = []
    try:
        for each in wanted:
            missing += writtenout.write(each, folder, title, rate_hz, bits, tell).missing
        begin = "It" if len(wanted) == 1 else "Each"
        live.words = f"{counted(len(wanted), 'file')} in {folder}. {begin} {writtenout.where(wanted[0].start, rate_hz)}"
        if missing:
            live.wrong = True
            live.words += f". Silent where {counted(len(missing), 'file')} could not be read: {Path(missing[0]).name}."
    except writtenout.Stopped:
        live.words = f"Stopped. What is whole stays in {folder}."
    except OSError as why:
        live.wrong = True
        live.words = f"The disk does not take it ({why.strerror or why}). What is whole stays in {folder}."
    except Exception:
        log.exception("writing what is in use stumbled")
        live.wrong, live.words = True, f"Something went wrong. What is whole stays in {folder}."
    finally:
        live.going = False
