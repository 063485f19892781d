"""What the page about the interface shows."""

from dataclasses import dataclass

from cattailer.core.gear.interface import COMMON_RATES_HZ, Profile
from cattailer.services.desk import disk
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.disk import Storage
from cattailer.services.desk.places import root_of
from cattailer.services.session.reading import get_session
from cattailer.services.stages.patch import names
from cattailer.services.stages.patch.show import PatchPage


@dataclass(frozen=True)
class Choice:
    """A value to choose, what it buys, and why not (empty when it can be had)."""

    value: int
    words: str
    why_not: str
    chosen: bool


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


@dataclass(frozen=True)
class InterfacePage:
    profiles: list[tuple[str, str, str]]
    wrong: dict[str, str]
    rates: list[Choice]
    depths: list[Choice]
    storage: Storage
    armed_tracks: int
    code: str
    pattern: str
    example: str
    takes: bool


def show_interface(desk: Desk, session_id: int, page: PatchPage) -> InterfacePage:
    """What the page about the interface needs beside the common part."""
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        rate, bits = session.rate_hz, session.bits
        code, pattern, root = session.code, session.name_pattern, root_of(desk, session)
    armed = [t for t in page.patch.tracks if t.armed]
    example = names.example(desk, session_id, code, pattern)
    return InterfacePage(
        [(k, p.name, f"{p.inputs} in, {p.outputs} out") for k, p in desk.profiles.items()], desk.wrong_profiles,
        rates(page.profile, rate), depths(page.profile, bits, rate),
        disk.storage(root, sum(len(t.feeds) for t in armed or page.patch.tracks), rate, bits), len(armed),
        code, pattern, example, any(t.takes for t in page.patch.tracks),
    )
