"""Files from elsewhere, such as a backing track, onto a track of their own."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.rates import rescaled
from cattailer.core.naming import MAX_NAME, safe_part
from cattailer.core.wording import counted
from cattailer.media import bringing, wavfile
from cattailer.media.soundfiles import opened
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import check_root
from cattailer.services.running import runs
from cattailer.services.running.runheader import written_run
from cattailer.services.session import tracks
from cattailer.services.session.editing import editing
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of

MOST_CHANNELS, MOST_HOURS = 2, 8
BROUGHT = "brought in"


def bring_in(desk: Desk, session_id: int, path: Path, name: str, bar: int) -> str:
    """From a bar on; 0 is where the file's own time stamp says. Returns words. Raises Refusal for what is no sound,
    and where it cannot lie."""
    desk.forbid_while_capturing(session_id, "bringing in a file")
    stem = Path(name.replace("\\", "/")).stem[:MAX_NAME].strip() or "Brought in"
    with opened(path) as sound:
        if sound.channels > MOST_CHANNELS:
            raise Refusal(
                f"{name} has {sound.channels} channels; a track takes one or two. Split it first; nothing was changed."
            )
        if sound.samples > MOST_HOURS * 3600 * sound.rate_hz:
            raise Refusal(f"{name} is longer than {MOST_HOURS} hours; nothing was changed.")
        with desk.database.transaction() as db:
            session = get_session(db, session_id)
            check_root(desk, session)
            start = tempo_of(session).sample_of(bar) if bar else _stamp(path, name, session.rate_hz)
        if not 0 <= start <= 24 * 3600 * session.rate_hz:
            raise Refusal("It would lie outside the timeline (0 to 24 hours); nothing was changed. Choose a bar.")
        track_id = _track(desk, session_id, stem, sound.channels)
        with desk.database.transaction() as db:
            header, folder, run = written_run(desk, db, get_session(db, session_id), track_id, start, BROUGHT)
        header = replace(header, files=tuple(replace(f, source=safe_part(stem, 40)) for f in header.files))
        try:
            with _telling(desk, session_id, round(sound.samples * header.rate_hz / sound.rate_hz)) as told:
                story = bringing.bring_in(sound, folder, run, header, told)
        except OSError as why:
            _take_back(desk, session_id, track_id)
            said = why.strerror or str(why)
            raise NotNow(f"{name} could not be written ({said}); nothing was changed.") from why
        except Refusal:
            _take_back(desk, session_id, track_id)
            raise
    runs.enter_finished(desk, [story.path])
    seconds = story.samples / header.rate_hz
    what = f"{counted(sound.channels, 'channel')}, {seconds / 60:.0f} min {seconds % 60:.0f} s"
    was = f", {sound.rate_hz / 1000:g} kHz made {header.rate_hz / 1000:g}" if sound.rate_hz != header.rate_hz else ""
    return f"{name} was brought in ({what}{was})."


@dataclass
class LiveBringing:
    """How far a file is: so many of its samples, of so many."""

    done: int = 0
    total: int = 0


def progress(desk: Desk, session_id: int) -> str:
    """In words; empty where nothing is brought in."""
    live = desk.live.find(session_id, LiveBringing)
    return f"{100 * live.done // max(1, live.total)} % is converted" if live else ""


@contextmanager
def _telling(desk: Desk, session_id: int, total: int) -> Iterator[Callable[[int], None]]:
    live = LiveBringing(0, total)
    desk.live.put(session_id, live)

    def told(samples: int) -> None:
        live.done = min(samples, total)

    try:
        yield told
    finally:
        desk.live.take(session_id, LiveBringing)


def _stamp(path: Path, name: str, rate_hz: int) -> int:
    """Where a Broadcast WAV says that it lies. Raises Refusal where it says nothing."""
    try:
        info = wavfile.inspect(path)
    except (OSError, ValueError) as why:
        raise Refusal(f"{name} has no time stamp; choose the bar at which it begins. Nothing was changed.") from why
    return rescaled(info.start, info.format.rate_hz, rate_hz)


def _track(desk: Desk, session_id: int, name: str, channels: int) -> int:
    with editing(desk, session_id) as edit:
        track = tracks.add_one(edit, ("",) * channels, name)
        edit.what = f"Track {track.name} added for a file"
        return track.id


def _take_back(desk: Desk, session_id: int, track_id: int) -> None:
    """The track that was made for a file which then could not be read or written."""
    with editing(desk, session_id) as edit:
        edit.session.tracks.remove(edit.track(track_id))
        edit.what = "Track taken away: its file could not be brought in"
