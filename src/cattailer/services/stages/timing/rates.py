"""The sample rate of a session: what each would change, and taking the takes along to another one.

Nothing is replaced: a converted file stands beside the one it came from, and each take
is heard from the file that fits.
"""

import threading
from dataclasses import dataclass, field
from pathlib import Path

from sqlalchemy import orm

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear import rates
from cattailer.core.gear.interface import COMMON_RATES_HZ
from cattailer.core.gear.rates import RateFacts
from cattailer.core.wording import counted
from cattailer.media import bwf, convert, overview, wavfile
from cattailer.media.overview import overview_path
from cattailer.services.desk.desk import Desk, log
from cattailer.services.desk.disk import disk_minutes_left
from cattailer.services.desk.places import folder_of, kept_as, root_of
from cattailer.services.session import rate
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.takefiles import files_of, takes_with_files
from cattailer.store.models import Media, Session

AS_IT_WAS = "The session keeps its rate, and its takes are as they were."
STOPPED = "Stopped. The session keeps its rate; what was converted is kept for next time."


@dataclass
class Conversion:
    """A conversion under way, or how the last one ended. ``state``: "running", "done", "failed" or "stopped"."""

    rate_hz: int
    files: int
    samples: int
    done: int = 0
    state: str = "running"
    message: str = ""
    over: int = 0
    over_db: float = 0.0
    """How many files went over full scale between their samples, and by how much at most."""
    stop: threading.Event = field(default_factory=threading.Event)

    @property
    def percent(self) -> float:
        return 100.0 * self.done / max(1, self.samples)


@dataclass(frozen=True)
class RateView:
    rates: list[RateFacts]
    rate_hz: int
    period: int
    conversion: Conversion | None


def show(desk: Desk, session_id: int) -> RateView:
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        profile = desk.profile_or_blank(session.interface)
        armed = [t for t in session.tracks if t.armed] or session.tracks
        channels = sum(len(t.feeds) for t in armed)
        takes = [[media.id for media, _ in files_of(take)] for take in takes_with_files(db, session)]
        versions = rate.rates_of(db, session)
        every = sorted({*COMMON_RATES_HZ, *profile.rates_hz, session.rate_hz})
        kept = {r: sum(all(r in versions[media] for media in files) for files in takes) for r in every}
        facts = [
            rates.facts(profile, r, session.period, channels, session.bits, kept[r], len(takes)) for r in every
        ]
        return RateView(facts, session.rate_hz, session.period, desk.live.find(session_id, Conversion))


def begin(desk: Desk, session_id: int, rate_hz: int) -> None:
    """Converts what has no file at that rate yet, in the background, then changes the rate of the session.

    Raises Refusal for a rate that the interface lacks, NotNow while the timeline moves, while another conversion runs,
    or without room on the disk.
    """
    desk.check_hardware(session_id, "the sample rate")
    running = desk.live.find(session_id, Conversion)
    if running is not None and running.state == "running":
        raise NotNow("A conversion runs already. Wait until it is through, or stop it.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        desk.profile(session.interface).check_rate(rate_hz)
        missing = _missing(desk, db, session, rate_hz)
        minutes = sum(m.samples * m.channels / m.rate_hz for m, _, _ in missing) / 60.0
        bits = max((m.bits for m, _, _ in missing), default=session.bits)
        if missing and disk_minutes_left(root_of(desk, session), 1, rate_hz, bits) < 1.05 * minutes + 1.0:
            raise NotNow("The disk has no room for these takes at another rate. Free some space; nothing was changed.")
        job = Conversion(rate_hz, len(missing), sum(m.samples for m, _, _ in missing))
        work = [(m.id, Path(path), origin) for m, path, origin in missing]
    desk.live.put(session_id, job)
    threading.Thread(target=_run, args=(desk, session_id, job, work), daemon=True).start()


def stop(desk: Desk, session_id: int) -> None:
    """What is converted already stays; the session's rate stays too."""
    job = desk.live.find(session_id, Conversion)
    if job is not None:
        job.stop.set()


def _missing(
    desk: Desk, db: orm.Session, session: Session, rate_hz: int
) -> list[tuple[Media, Path, bwf.Origin]]:
    """Files of takes that are not there at a rate, with where they lie and where they came from."""
    versions = rate.rates_of(db, session)
    out = []
    for take in takes_with_files(db, session):
        for media, start in files_of(take):
            if rate_hz in versions[media.id]:
                continue
            origin = bwf.Origin(
                session.title, take.track.name, rates.rescaled(start, media.rate_hz, rate_hz), take.run.began_at,
                f"run {take.run.number}", note=f"converted from {media.rate_hz} Hz", feed="converted",
            )
            out.append((media, folder_of(desk, session) / media.path, origin))
    return out


def _run(desk: Desk, session_id: int, job: Conversion, work: list[tuple[int, Path, bwf.Origin]]) -> None:
    try:
        for media_id, path, origin in work:
            _convert(desk, session_id, job, media_id, path, origin)
        rate.choose_rate(desk, session_id, job.rate_hz)
        job.state = "done"
        if job.over:
            go = "goes" if job.over == 1 else "go"
            job.message = (
                f"{counted(job.over, 'file')} {go} over full scale between samples, by up to {job.over_db:.1f} dB. "
                "They are kept as float, so nothing is cut off."
            )
    except convert.Stopped:
        job.state, job.message = "stopped", STOPPED
    except Refusal as why:
        job.state, job.message = "failed", why.message
    except (OSError, wavfile.NotAWave) as why:
        full = getattr(why, "errno", 0) in (28, 122)
        words = "The disk is full" if full else f"A file could not be converted ({why})"
        job.state, job.message = "failed", f"{words}. {AS_IT_WAS}"
    except Exception:
        log.exception("a conversion stumbled")
        job.state, job.message = "failed", f"Something went wrong. {AS_IT_WAS}"


def _convert(
    desk: Desk, session_id: int, job: Conversion, media_id: int, path: Path, origin: bwf.Origin
) -> None:
    before = job.done

    def tell(samples: int) -> bool:
        job.done = before + samples
        return not job.stop.is_set()

    target = _free(path.parent / f"at-{job.rate_hz}" / path.name)
    made = convert.convert(wavfile.inspect(path), target, job.rate_hz, origin, tell)
    if made.over_db:
        job.over, job.over_db = job.over + 1, max(job.over_db, made.over_db)
    info = wavfile.inspect(target)
    overview.make(info, overview_path(target))
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        db.add(Media(
            session_id=session_id, path=kept_as(folder_of(desk, session), target),
            channels=info.format.channels, bits=info.format.bits, rate_hz=job.rate_hz,
            samples=made.samples, crc32=made.crc32, original_id=media_id,
        ))


def _free(path: Path) -> Path:
    """A name that is not taken: nothing is ever overwritten."""
    number, found = 1, path
    while found.exists():
        number += 1
        found = path.with_stem(f"{path.stem} {number}")
    return found
