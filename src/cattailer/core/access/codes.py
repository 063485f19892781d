"""Codes by which a device comes in, and how often somebody may try one."""

import ipaddress
import secrets
from collections import deque
from dataclasses import dataclass

CODE_S = 120
"""A code is good for so long, and once."""
CODE_DIGITS = 6
TRIES, TRIES_OF_ALL, TRIES_S = 5, 30, 60.0
"""Wrong codes of one address, and of all together, within so many seconds. A million codes, one of which is good for
two minutes: thirty tries a minute find it once in 16,000 times."""
MOST_ADDRESSES = 1000


@dataclass(frozen=True)
class Offer:
    """What lets one device in: ``code`` to type, and ``link``, which is long, to scan."""

    code: str
    link: str


def new_offer() -> Offer:
    return Offer(f"{secrets.randbelow(10**CODE_DIGITS):0{CODE_DIGITS}}", secrets.token_urlsafe(24))


def plain_code(typed: str) -> str:
    """A code as people type it, "123 456" or "123-456"; anything else as it is, for a link may hold a dash."""
    digits = "".join(c for c in typed if not c.isspace() and c != "-")
    return digits if is_code(digits) else typed.strip()


def is_code(typed: str) -> bool:
    return len(typed) == CODE_DIGITS and typed.isascii() and typed.isdigit()


def household(address: str) -> str:
    """What counts as one address: a network of /64 in IPv6, where everybody has any number of them."""
    try:
        found = ipaddress.ip_address(address.partition("%")[0])
    except ValueError:
        return address
    if isinstance(found, ipaddress.IPv6Address):
        if found.ipv4_mapped:
            return str(found.ipv4_mapped)
        return str(ipaddress.ip_network((found, 64), strict=False))
    return str(found)


class Tries:
    """Wrong codes of the last minute. Times are seconds of any clock that does not go back."""

    def __init__(self) -> None:
        self._all: deque[float] = deque(maxlen=TRIES_OF_ALL)
        self._of: dict[str, deque[float]] = {}

    def wait_s(self, address: str, now: float) -> float:
        """For how long this address must wait before it may try again; 0 when it may."""
        mine = self._of.get(household(address), deque())
        full = [tries[0] for tries, most in ((mine, TRIES), (self._all, TRIES_OF_ALL)) if len(tries) == most]
        return max((at + TRIES_S - now for at in full), default=0.0) if full else 0.0

    def failed(self, address: str, now: float) -> None:
        self._all.append(now)
        for old in [a for a, tries in self._of.items() if now - tries[-1] > TRIES_S]:
            del self._of[old]
        if len(self._of) < MOST_ADDRESSES:  # beyond, the count of all is what holds
            self._of.setdefault(household(address), deque(maxlen=TRIES)).append(now)
