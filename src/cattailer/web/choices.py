"""What can be chosen, and by what it is judged, as core has it: for templates."""

from cattailer.core.access.roles import ROLE_WORDS
from cattailer.core.comps.fades import SHAPES
from cattailer.core.comps.levelling import AIMS
from cattailer.core.comps.phrases import WAYS as PHRASE_WAYS
from cattailer.core.comps.snapping import SNAPS, UNITS
from cattailer.core.comps.tightening import DIVISIONS
from cattailer.core.gear.interface import COMMON_BUFFERS, COMMON_RATES_HZ, DEPTHS
from cattailer.core.gear.ladder import FELT_MS, USES
from cattailer.core.mix.effects import SPACES
from cattailer.core.mix.limiting import WAYS as LIMITS
from cattailer.core.mix.listening import PATHS as LISTEN_PATHS
from cattailer.core.mix.listening import POINTS as LISTEN_POINTS
from cattailer.core.mix.listening import WHENS as LISTEN_WHENS
from cattailer.core.patch.patch import COLOURS, ICONS, PICKUPS
from cattailer.core.sound.meters import KINDS, POINTS
from cattailer.core.sound.probe import WAYS
from cattailer.core.sound.tuner import IN_TUNE_CENTS
from cattailer.core.standin import BUSY, MODES
from cattailer.core.takes.leadin import OPENINGS
from cattailer.core.takes.over import WAYS as OVER
from cattailer.core.takes.settings import BEGIN_WORDS, FROM
from cattailer.core.time.clicking import COUNT_SOUNDS, COUNTS, SOUNDS, SUBDIVISIONS, WHENS

CHOICES: dict[str, object] = {
    "AIMS": AIMS, "BEGIN_WORDS": BEGIN_WORDS, "BUSY": BUSY, "COLOURS": COLOURS, "COMMON_BUFFERS": COMMON_BUFFERS,
    "COMMON_RATES_HZ": COMMON_RATES_HZ,
    "COUNT_SOUNDS": COUNT_SOUNDS, "COUNTS": COUNTS, "DEPTHS": DEPTHS, "FELT_MS": FELT_MS, "FROM": FROM, "ICONS": ICONS,
    "DIVISIONS": DIVISIONS,
    "IN_TUNE_CENTS": IN_TUNE_CENTS, "KINDS": KINDS, "LIMITS": LIMITS,
    "LISTEN_PATHS": LISTEN_PATHS, "LISTEN_POINTS": LISTEN_POINTS,
    "LISTEN_WHENS": LISTEN_WHENS, "MODES": MODES, "OPENINGS": OPENINGS, "OVER": OVER, "PICKUPS": PICKUPS,
    "PHRASE_WAYS": PHRASE_WAYS, "SHAPES": SHAPES, "SNAPS": SNAPS, "UNITS": UNITS,
    "POINTS": POINTS, "ROLE_WORDS": ROLE_WORDS,
    "SOUNDS": SOUNDS, "SPACES": SPACES, "SUBDIVISIONS": SUBDIVISIONS, "USES": USES, "WAYS": WAYS,
    "WHENS": WHENS,
}
