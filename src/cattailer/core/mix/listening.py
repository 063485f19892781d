"""What ears get of a track: live, captured or both, and by which way.

One table decides it for every listener; ``table`` prints it, as docs/listening.md holds it.
"""

from dataclasses import dataclass
from itertools import product
from typing import NamedTuple

from cattailer.core.transport import CAPTURING, COUNTING, POST_ROLL, PRE_ROLL, ROLLING, STOPPED, WAITING

DIRECT, THROUGH = "direct", "through"
PATHS = (THROUGH, DIRECT)
OFF, AUTO, ALWAYS = "off", "auto", "always"
WHENS = (OFF, AUTO, ALWAYS)
RAW, EFFECTS, CHANNEL = "raw", "effects", "channel"
POINTS = (RAW, EFFECTS, CHANNEL)

LOOPING = "looping"
MOMENTS = (STOPPED, WAITING, COUNTING, PRE_ROLL, ROLLING, LOOPING, CAPTURING, POST_ROLL)
"""``CAPTURING`` is also inside a punch; ``COUNTING`` counts in what will be captured or played."""
STILL = (STOPPED, WAITING, COUNTING)
"""Nothing of what was captured is played."""


@dataclass(frozen=True)
class Listen:
    """How somebody listens to a track's live input: the path, when, and at which point of the channel."""

    path: str = THROUGH
    when: str = AUTO
    point: str = CHANNEL


class Heard(NamedTuple):
    """``direct`` and ``through`` are the live input on either path, ``captured`` what lies on the track."""

    direct: bool
    through: bool
    captured: bool


def heard(path: str, when: str, armed: bool, moment: str, lies: bool, inside: bool = False) -> Heard:
    """What is heard of a track.

    ``lies``: something captured lies at this place of the timeline. ``inside``: the track is fed by a software source
    or a group, which has no other way to be heard than through the engine, and sounds wherever nothing lies, armed or
    not. A take is never heard under the take that is being captured over it.
    """
    covered = armed and moment == CAPTURING
    captured = lies and moment not in STILL and not covered
    if when == OFF:
        live = False
    elif when == ALWAYS or (armed and moment in (*STILL, CAPTURING)):
        live = True
    else:
        live = (armed or inside) and not captured
    through = path == THROUGH or inside
    return Heard(live and not through, live and through, captured)


def table() -> str:
    """The whole truth table in Markdown: for each path and choice, armed or not, what is heard in every moment."""
    head = "| path | when | armed | something lies | " + " | ".join(MOMENTS) + " |"
    lines = [head, "|" + "---|" * (4 + len(MOMENTS))]
    for path, when, armed, lies in product(PATHS, WHENS, (True, False), (True, False)):
        cells = [_words(heard(path, when, armed, moment, lies)) for moment in MOMENTS]
        first = (path.capitalize(), when.capitalize(), "yes" if armed else "no", "yes" if lies else "no")
        lines.append("| " + " | ".join((*first, *cells)) + " |")
    return "\n".join(lines)


def _words(got: Heard) -> str:
    parts = [word for word, on in zip(("live, direct", "live", "captured"), got, strict=True) if on]
    return " + ".join(parts) or "–"
