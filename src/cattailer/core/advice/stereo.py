"""A stereo pair is one gain: which sockets belong together, and what is advised for both."""

import re

from cattailer.core.advice.gainadvice import LEAST_DB, Advice, Preamp, turned
from cattailer.core.patch.ends import socket_of
from cattailer.core.patch.patch import Patch, PatchInput

_SIDE = re.compile(r"^(?:(?P<before>left|right|l|r)\W+(?P<rest>.+)|(?P<stem>.+?)\W*\b(?P<after>left|right|l|r))$")


def pairs_of(patch: Patch) -> list[tuple[int, int]]:
    """Sockets, left and right, that feed one stereo track, or are called the left and the right of one source and
    picked up alike."""
    found: list[tuple[int, int]] = []
    for track in patch.tracks:
        sockets = [s for feed in track.feeds if (s := socket_of(feed)) is not None]
        if len(sockets) == 2 and sockets[0] != sockets[1]:
            found.append((sockets[0], sockets[1]))
    taken = {socket for pair in found for socket in pair}
    sides: dict[tuple[str, str], dict[str, int]] = {}
    for row in patch.inputs:
        side = _side(row)
        if side is not None and row.socket not in taken:
            sides.setdefault((side[0], row.pickup), {}).setdefault(side[1], row.socket)
    return found + [(both["l"], both["r"]) for both in sides.values() if len(both) == 2]


def _side(row: PatchInput) -> tuple[str, str] | None:
    """What is picked up, and which side of it ("l" or "r")."""
    found = _SIDE.match(row.name.casefold().strip())
    if found is None:
        return None
    return (found["rest"] or found["stem"]).strip(" ,-_"), (found["before"] or found["after"])[0]


def paired(
    advised: tuple[Advice, Advice], preamps: tuple[Preamp, Preamp], names: tuple[str, str]
) -> tuple[Advice, Advice]:
    """Advice for two sides with one gain: that of the side that is louder through the same gain. Where neither side
    needs a change both are left as they are."""
    if not any(a.changes for a in advised):
        return advised
    loudness = [a.peak_dbfs - _net(a.gain_db, a.pad_in, p) for a, p in zip(advised, preamps, strict=True)]
    lead = 0 if loudness[0] >= loudness[1] else 1
    gain, pad = advised[lead].gain_db, advised[lead].pad_in
    gain = max(preamps[0].min_db, preamps[1].min_db, min(preamps[0].max_db, preamps[1].max_db, gain))
    out = list(advised)
    for n in (0, 1):
        if n == lead and abs(gain - advised[n].gain_db) < LEAST_DB:
            continue
        moved = _net(gain, pad, preamps[n]) - _net(advised[n].gain_db, advised[n].pad_in, preamps[n])
        what = turned(preamps[n], gain, pad)
        same = f"the same gain as {names[1 - n]}, the other side of the pair"
        short = f"{what}: {same}." if what else f"Leave it: {same}."
        kind = "leave" if not what else "up" if gain > preamps[n].gain_db else "down"
        heard = advised[n].words.removesuffix(advised[n].short).strip()
        out[n] = Advice(kind, f"{heard} {short}".strip(), gain, pad, advised[n].peak_dbfs + moved, short)
    return out[0], out[1]


def _net(gain_db: float, pad_in: bool, preamp: Preamp) -> float:
    return gain_db - (preamp.pad_db if pad_in else 0.0)
