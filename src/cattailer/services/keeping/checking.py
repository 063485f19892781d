"""Reading all files of a session again, and finding those that were moved by what they hold."""

import os
import threading
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import select

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.wording import counted
from cattailer.media import wavfile
from cattailer.services.desk.desk import Desk, log
from cattailer.services.desk.places import folder_of, kept_as, root_of
from cattailer.services.keeping.verifying import what_is_wrong
from cattailer.services.session.editing import enter, takes_changed
from cattailer.services.session.pushing import push
from cattailer.services.session.reading import get_session
from cattailer.store.models import Media

MOST_NAMED = 20


@dataclass
class LiveMediaCheck:
    """A check under way, or the newest one: ``wrong`` says what is the matter, ``moved`` how many were found again."""

    total: int = 0
    done: int = 0
    going: bool = False
    wrong: list[str] = field(default_factory=list)
    moved: int = 0
    words: str = ""


def check_all(desk: Desk, session_id: int, also: str = "") -> None:
    """Begins to read every file in the background; what is missing is looked for below the session's folders, and in
    the folder ``also``. Raises NotNow while one runs, Refusal for a folder that is not there."""
    desk.forbid_while_capturing(session_id, "reading all files")
    where = Path(also.strip()) if also.strip() else None
    if where is not None and not (where.is_absolute() and where.is_dir()):
        raise Refusal(f"There is no folder {also.strip()}; type its whole path. Nothing was looked at.")
    running = desk.live.find(session_id, LiveMediaCheck)
    if running is not None and running.going:
        raise NotNow("The files are being read already.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        folder = folder_of(desk, session)
        roots = [folder, *(Path(r) / session.folder for r in (session.copy_root, session.fallback_root) if r)]
        roots += [root_of(desk, session), *([where] if where else [])]
        query = select(Media).where(Media.session_id == session_id, Media.crc32 != "").order_by(Media.id)
        files = [(m.id, m.path, m.samples, m.crc32) for m in db.scalars(query)]
    live = LiveMediaCheck(len(files), going=True)
    desk.live.put(session_id, live)
    threading.Thread(target=_run, args=(desk, session_id, live, folder, files, roots), daemon=True).start()


File = tuple[int, str, int, str]
"""Number, path, samples and checksum."""


def _run(desk: Desk, session_id: int, live: LiveMediaCheck, folder: Path, files: list[File], roots: list[Path]) -> None:
    missing: list[File] = []
    try:
        for media_id, path, samples, crc32 in files:
            if not (folder / path).exists():
                missing.append((media_id, path, samples, crc32))
            elif words := what_is_wrong(folder / path, samples, crc32):
                live.wrong.append(words)
            live.done += 1
        found = _search(missing, roots, {folder / path for _, path, _, _ in files}) if missing else {}
        live.moved = len(found)
        live.wrong += [f"{Path(path).name} is not there" for media_id, path, _, _ in missing if media_id not in found]
        live.words = _words(live)
        with desk.database.transaction() as db:
            session = get_session(db, session_id, lock=True)
            for media_id, place in found.items():
                db.get_one(Media, media_id).path = kept_as(folder, place)
            enter(db, session, f"Media checked: {live.words}", "fixed", {}, {})
            if found:
                takes_changed(session)
        if found:
            push(desk, session_id)
    except Exception as why:
        log.warning("the media check broke off", why=str(why))
        live.words = f"The check broke off ({why}). The files are as they were; try again."
    finally:
        live.going = False


def _words(live: LiveMediaCheck) -> str:
    again = f"; {counted(live.moved, 'file')} had been moved and {'was' if live.moved == 1 else 'were'} found again"
    if not live.wrong:
        all_of = "The one file is" if live.total == 1 else f"All {live.total:,} files are"
        return f"{all_of} here and unchanged{again if live.moved else ''}."
    more = f", and {len(live.wrong) - MOST_NAMED} more" if len(live.wrong) > MOST_NAMED else ""
    return (
        f"{len(live.wrong)} of {counted(live.total, 'file')} not as they should be: "
        f"{'; '.join(live.wrong[:MOST_NAMED])}{more}{again if live.moved else ''}."
    )


def _search(missing: list[File], roots: list[Path], taken: set[Path]) -> dict[int, Path]:
    """Where the sound of missing files lies by now, by their number."""
    wanted: dict[tuple[int, str], list[int]] = {}
    for media_id, _, samples, crc32 in missing:
        wanted.setdefault((samples, crc32), []).append(media_id)
    lengths, found = {samples for samples, _ in wanted}, dict[int, Path]()
    for path in _waves(roots):
        if path in taken or not wanted:
            continue
        try:
            info = wavfile.inspect(path)
            if info.frames in lengths and (ids := wanted.pop((info.frames, wavfile.checksum(info)), None)):
                found.update(dict.fromkeys(ids, path))
        except (OSError, ValueError):
            continue
    return found


def _waves(roots: list[Path]) -> Iterator[Path]:
    seen: set[Path] = set()
    for root in roots:
        for folder, _, names in os.walk(root):
            for name in sorted(names):
                path = Path(folder, name)
                if name.lower().endswith(".wav") and path not in seen:
                    seen.add(path)
                    yield path
