"""The interface of a session: profile, rate, bit depth, and where its media go."""

import os
import re
from dataclasses import dataclass, replace
from pathlib import Path

from sqlalchemy import orm, select

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.gear.interface import COMMON_RATES_HZ, Profile
from cattailer.core.gear.rates import rescaled
from cattailer.core.naming import MAX_NAME, clean_name, file_stem, safe_part
from cattailer.media import profile_toml
from cattailer.services.desk.desk import Desk
from cattailer.services.session.editing import editing
from cattailer.services.session.planning import tempo_of
from cattailer.store.models import Input, Media, Session


@dataclass(frozen=True)
class Choice:
    """A value to choose, what it buys, and why not (empty when it can be had)."""

    value: int
    words: str
    why_not: str
    chosen: bool


@dataclass(frozen=True)
class Storage:
    folder: str
    free_gb: float
    hours: float
    system_disk: bool


def choose_interface(desk: Desk, session_id: int, key: str) -> None:
    """Another interface for a session. Rate, buffer and bits go to the nearest it offers; rows of
    sockets that it lacks are kept, so that going back loses nothing."""
    desk.check_hardware(session_id, "changing the interface")
    with editing(desk, session_id) as edit:
        profile, session = desk.profile(key), edit.session
        rate_hz, period, bits = profile.settle(session.rate_hz, session.period, session.bits)
        if rate_hz != session.rate_hz and _lacking(edit.db, session, rate_hz):
            raise NotNow(
                f"The takes of this session are in {session.rate_hz / 1000:g} kHz, which {profile.name} lacks. "
                "Nothing was changed. Convert them first (Timing, Sample rate), or copy the session without its takes."
            )
        edit.what = f"Interface is {profile.name}"
        session.interface, session.rate_hz, session.period, session.bits = key, rate_hz, period, bits
        there = {i.socket for i in session.inputs}
        session.inputs += [Input(socket=n) for n in range(1, profile.inputs + 1) if n not in there]


def choose_rate(desk: Desk, session_id: int, rate_hz: int) -> None:
    """Raises NotNow while takes have no file at that rate: they would play at the wrong speed."""
    desk.check_hardware(session_id, "the sample rate")
    with editing(desk, session_id) as edit:
        session = edit.session
        desk.profile(session.interface).check_rate(rate_hz)
        if rate_hz != session.rate_hz and (lacking := _lacking(edit.db, session, rate_hz)):
            raise NotNow(
                f"{lacking} of the files of this session {'is' if lacking == 1 else 'are'} not there in "
                f"{rate_hz / 1000:g} kHz, so its rate stays. Timing, Sample rate converts them."
            )
        edit.what = f"Sample rate is {rate_hz / 1000:g} kHz"
        tempo = tempo_of(session)
        session.tempo = replace(tempo, bar_one=rescaled(tempo.bar_one, session.rate_hz, rate_hz)).to_dict()
        session.range_start = rescaled(session.range_start, session.rate_hz, rate_hz)
        session.range_stop = rescaled(session.range_stop, session.rate_hz, rate_hz)
        session.rate_hz = rate_hz


def rates_of(db: orm.Session, session: Session) -> dict[int, set[int]]:
    """For each file of a session that was captured, the rates at which it is there."""
    out: dict[int, set[int]] = {}
    for media in db.scalars(select(Media).where(Media.session_id == session.id)):
        out.setdefault(media.original_id or media.id, set()).add(media.rate_hz)
    return out


def _lacking(db: orm.Session, session: Session, rate_hz: int) -> int:
    """How many files of a session are not there at a rate."""
    return sum(rate_hz not in there for there in rates_of(db, session).values())


def choose_bits(desk: Desk, session_id: int, bits: int) -> None:
    """For captures from now on; takes that are there keep theirs."""
    desk.forbid_while_capturing(session_id, "the bit depth")
    with editing(desk, session_id) as edit:
        desk.profile(edit.session.interface).check_bits(bits)
        edit.what = f"Bit depth is {bits} bit{' float' if bits == 32 else ''}"
        edit.session.bits = bits


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


def example_name(session_title: str, code: str, pattern: str, track: str, socket: str, date: str) -> str:
    """What a file would be called. Raises Refusal for a token that does not exist."""
    if not pattern.strip():
        raise Refusal("The name pattern is empty.")
    return file_stem(pattern, session=session_title, code=code or session_title, track=track, socket=socket, run="01",
                     date=date) + ".wav"


def keep_profile(desk: Desk, filename: str, data: bytes) -> Profile:
    """An uploaded profile, checked and kept beside the others. Raises Refusal with line and key."""
    if desk.profiles_folder is None:
        raise NotNow("Profiles cannot be kept on this machine. Nothing was changed.")
    if len(data) > profile_toml.MOST_BYTES:
        raise Refusal("A profile is a short text file (64 kB is the most). Nothing was kept.", 413)
    key = re.sub(r"[^a-z0-9]+", "-", Path(filename).stem.lower()).strip("-")[:40]
    if not profile_toml.KEY.fullmatch(key):
        raise Refusal("Give the file a name of letters and digits, such as my-interface.toml. Nothing was kept.")
    if key in profile_toml.shipped():
        raise NotNow("A profile of that name comes with Cattailer; give the file another name. Nothing was kept.")
    try:
        text = data.decode("utf-8-sig")
        profile = profile_toml.parse(text, key)
    except UnicodeDecodeError as why:
        raise Refusal("The file is not UTF-8 text. Nothing was kept.") from why
    except profile_toml.ProfileError as why:
        raise Refusal(f"{why} Nothing was kept.") from why
    desk.profiles_folder.mkdir(parents=True, exist_ok=True)
    fresh = desk.profiles_folder / f".{key}.new"
    fresh.write_text(text, "utf-8")
    fresh.replace(desk.profiles_folder / f"{key}.toml")
    return profile


def rates(profile: Profile, chosen: int) -> list[Choice]:
    """Every common rate, those that the interface lacks with the reason."""
    every = sorted({*COMMON_RATES_HZ, *profile.rates_hz, chosen})
    return [Choice(r, f"sound up to {r / 2200:.0f} kHz", profile.why_not_rate(r), r == chosen) for r in every]


def depths(profile: Profile, chosen: int, rate_hz: int) -> list[Choice]:
    """16, 24 and 32-bit float: the noise floor of the word, and MB a minute for one track."""
    out = []
    for bits in (16, 24, 32):
        floor = {16: "dithered, noise floor −93 dBFS", 24: "noise floor −146 dBFS",
                 32: "float: as 24, and never clips in a file"}[bits]
        size = rate_hz * bits // 8 * 60 / 1e6
        why = "" if bits in profile.bits else f"{profile.name} does not write it"
        out.append(Choice(bits, f"{floor}; {size:.1f} MB a minute", why, bits == chosen))
    return out


def storage(desk: Desk, channels: int, rate_hz: int, bits: int) -> Storage:
    """Where media go, how much is free, how long it lasts, and whether the system lives there too."""
    folder = desk.media
    while not folder.exists():
        folder = folder.parent
    free = os.statvfs(folder)
    free_bytes = free.f_bavail * free.f_frsize
    hours = free_bytes / (max(1, channels) * rate_hz * bits / 8 * 3600)
    return Storage(str(desk.media), free_bytes / 1e9, hours, folder.stat().st_dev == Path("/").stat().st_dev)
