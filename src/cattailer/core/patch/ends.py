"""The grammar of route ends and feeds; nobody else takes these texts apart or puts them together.

An end has a key, its kind and its number or name: ``in:3`` (a socket as printed), ``soft:beat`` (a software source),
``track:12``, ``group:4``, ``return:2``, ``mix:1`` and ``out:7`` (a pair of outputs, by its first). A feed names one
channel of an end: ``in:3``, ``soft:beat:L``, ``group:4:R``; an empty feed feeds nothing.
"""

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile

SOCKET, SOFT, TRACK, GROUP, RETURN, MIX, OUTPUT = "in", "soft", "track", "group", "return", "mix", "out"
CLICK, GUIDE = "click", "guide"
"""The ends of the click and of guide notes, of which there is one each."""
EVERYWHERE = (CLICK, GUIDE)
"""What goes to mixes by itself: it has a way only where that differs from the plain one."""
SOFTWARE = ("beat", "bass", "pad")
SIDES = ("L", "R")


def socket_end(socket: int) -> str:
    return f"{SOCKET}:{socket}"


def software_end(name: str) -> str:
    return f"{SOFT}:{name}"


def track_end(track_id: int | str) -> str:
    return f"{TRACK}:{track_id}"


def group_end(group_id: int | str) -> str:
    return f"{GROUP}:{group_id}"


def return_end(return_id: int | str) -> str:
    return f"{RETURN}:{return_id}"


def mix_end(mix_id: int | str) -> str:
    return f"{MIX}:{mix_id}"


def output_end(first: int) -> str:
    return f"{OUTPUT}:{first}"


def channel(end: str, side: int) -> str:
    """The feed that is one side of an end; a socket has one channel only."""
    return end if kind_of(end) == SOCKET else f"{end}:{SIDES[side]}"


def kind_of(key: str) -> str:
    """The kind of an end or feed; empty for the empty feed."""
    return key.partition(":")[0]


def name_of(key: str) -> str:
    """What tells an end, or the end of a feed, from others of its kind: a number as text, or a name."""
    return end_of(key).partition(":")[2]


def number_of(key: str) -> int:
    """As ``name_of``, for ends with numbers. Raises ValueError for others."""
    return int(name_of(key))


def number_in(key: str) -> int:
    """As ``number_of``, and -1 for what has no number as one is written."""
    name = name_of(key)
    return int(name) if name.isascii() and name.isdecimal() and len(name) < 10 else -1


def end_of(feed: str) -> str:
    """The end that a feed is a channel of: ``soft:beat:L`` is one of ``soft:beat``."""
    return feed[:-2] if feed.endswith(tuple(f":{side}" for side in SIDES)) else feed


def side_of(feed: str) -> int:
    return 1 if feed.endswith(f":{SIDES[1]}") else 0


def socket_of(feed: str) -> int | None:
    """The socket of a hardware feed, else None."""
    return number_of(feed) if kind_of(feed) == SOCKET else None


def check_feed(feed: str, profile: Profile, groups: set[int]) -> str:
    """The feed as it is written. Raises Refusal for one that cannot be."""
    kind, _, rest = feed.partition(":")
    if not feed:
        return feed
    if kind == SOCKET and rest.isdecimal() and len(rest) < 5:
        return socket_end(profile.socket(int(rest)).number)
    name, _, side = rest.partition(":")
    if side in SIDES and kind == SOFT and name in SOFTWARE:
        return feed
    if side in SIDES and kind == GROUP and name.isdecimal() and int(name) in groups:
        return feed
    raise Refusal(f"There is no source called {feed[:40]!r} here, so nothing was changed.")


def pair_from(feed: str, profile: Profile) -> tuple[str, str]:
    """The two feeds of a pair that begins at ``feed``: the next socket, or both sides.

    Raises Refusal when the last socket has no neighbour.
    """
    socket = socket_of(feed)
    if socket is None:
        end = end_of(feed)
        return (channel(end, 0), channel(end, 1)) if feed else ("", "")
    if socket >= profile.inputs:
        raise Refusal(f"Socket {socket} is the last one, so a pair cannot begin there. Choose the one before it.")
    return socket_end(socket), socket_end(socket + 1)


def in_words(feeds: tuple[str, ...], groups: dict[int, str]) -> str:
    """Feeds as shown: ``3``, ``1+2`` (pairs always name both sockets), ``Beat``, ``group Strings``."""
    parts = [_in_words(feed, groups) for feed in feeds]
    if len(parts) == 2 and (not parts[0].isdecimal() and parts[0] == parts[1] and parts[0] != NOTHING_FED):
        return parts[0]
    return "+".join(parts) if any(p != NOTHING_FED for p in parts) else NOTHING_FED


NOTHING_FED = "–"


def _in_words(feed: str, groups: dict[int, str]) -> str:
    if not feed:
        return NOTHING_FED
    kind = kind_of(feed)
    if kind == SOCKET:
        return name_of(feed)
    return name_of(feed).capitalize() if kind == SOFT else f"group {groups.get(number_of(feed), '?')}"
