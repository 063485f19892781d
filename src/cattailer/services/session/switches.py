"""The switches of a preamp, ready to render."""

from dataclasses import dataclass

from cattailer.core.gear.interface import SWITCHES, Profile
from cattailer.core.patch.patch import PatchInput

SHORT = {
    "phantom": "48 V", "pad": "pad", "low_cut": "low cut", "polarity": "ø", "instrument": "inst", "soft_limit": "limit",
}


@dataclass(frozen=True)
class SwitchView:
    """``why_not`` says why it is not offered here; ``shared`` with which other sockets it goes."""

    key: str
    word: str
    short: str
    on: bool
    why_not: str
    shared: str


def of_socket(profile: Profile, row: PatchInput, but: str = "") -> tuple[SwitchView, ...]:
    """All of a socket, offered or not, but for one."""
    bank = profile.bank(row.socket)
    shared = f", shared by sockets {'+'.join(map(str, bank))}" if len(bank) > 1 else ""
    socket = profile.socket(row.socket)
    return tuple(
        SwitchView(
            key, word.replace(" switch", ""), SHORT[key], bool(getattr(row, key)), socket.why_not(key),
            shared if key == "phantom" else "",
        )
        for key, word in SWITCHES.items() if key != but
    )
