"""How files are called."""

from datetime import date

from cattailer.core.errors import Refusal
from cattailer.core.naming import MAX_NAME, clean_name, file_stem, safe_part
from cattailer.core.patch.ends import in_words, socket_end
from cattailer.core.patch.patch import PatchTrack
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import patch_of


def choose_names(desk: Desk, session_id: int, code: str, pattern: str, was: str | None = None) -> None:
    """The session's code and the pattern of file names. Files that are there keep theirs."""
    code = safe_part(clean_name(code, "session code"), 24) if code.strip() else ""
    if not pattern.strip() or len(pattern) > MAX_NAME:
        raise Refusal(f"The name pattern must have 1 to {MAX_NAME} characters. Nothing was changed.")
    if "{track}" not in pattern or "{run}" not in pattern:
        raise Refusal("The name pattern needs {track} and {run}: without them files could not be told apart.")
    file_stem(pattern)
    with editing(desk, session_id) as edit:
        edit.expect(edit.session, "name_pattern", was, "The name pattern")
        edit.what = f"File names are {pattern.strip()}{f', code {code}' if code else ''}"
        edit.session.code, edit.session.name_pattern = code, pattern.strip()


def example(desk: Desk, session_id: int, code: str, pattern: str) -> str:
    """What the first track's file would be called. Raises Refusal for a token that does not exist."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        title, patch = session.title, patch_of(session)
    first = next(iter(patch.tracks), PatchTrack(0, "Cello", (socket_end(3),)))
    feed = in_words(first.feeds, {g.id: g.name for g in patch.groups})
    return example_name(title, code, pattern, first.name, feed, date.today().isoformat())


def example_name(session_title: str, code: str, pattern: str, track: str, socket: str, date: str) -> str:
    """What a file would be called. Raises Refusal for a token that does not exist."""
    if not pattern.strip():
        raise Refusal("The name pattern is empty.")
    return file_stem(pattern, session=session_title, code=code or session_title, track=track, socket=socket, run="01",
                     date=date) + ".wav"
