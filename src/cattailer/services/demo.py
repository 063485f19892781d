"""The Lamplighter's Ferry: the session that the demo starts with."""

from dataclasses import dataclass
from fractions import Fraction

from sqlalchemy import select

from cattailer.core.plan import Plan, Preamps, TrackPlan
from cattailer.core.timeline import Meter, Tempo, TempoMap
from cattailer.services.desk import Desk
from cattailer.store.models import Input, Session, Track

TITLE = "The Lamplighter's Ferry"
INTERFACE = "marshgate-16"
RATE_HZ, PERIOD, BITS = 48000, 128, 24


@dataclass(frozen=True)
class DemoInput:
    socket: int
    name: str
    pickup: str
    note: str
    phantom: bool
    gain_db: float
    pan: float


INPUTS = (
    DemoInput(1, "Dulcimer left", "condenser", "40 cm, bass side", True, 28, -0.7),
    DemoInput(2, "Dulcimer right", "condenser", "40 cm, top side", True, 28, -0.1),
    DemoInput(3, "Cello", "condenser", "60 cm, f-hole", True, 28, 0.1),
    DemoInput(4, "Cello pickup", "DI", "bridge pickup", False, 20, 0.15),
    DemoInput(5, "Bass clarinet", "ribbon", "50 cm, at the keys", False, 50, 0.4),
    DemoInput(6, "Frame drum", "dynamic", "15 cm off the rim", False, 32, 0.6),
    DemoInput(7, "Harmonium", "condenser", "80 cm, behind", True, 39, -0.55),
    DemoInput(8, "Narrator", "condenser", "20 cm, foam", True, 30, 0.0),
    DemoInput(9, "Room left", "condenser", "3 m, 2 m up", True, 29, -1.0),
    DemoInput(10, "Room right", "condenser", "3 m, 2 m up", True, 29, 1.0),
)


def tempo(rate_hz: int = RATE_HZ) -> TempoMap:
    """A waltz at 92."""
    return TempoMap(rate_hz, (Tempo(Fraction(0), Fraction(92)),), (Meter(1, 3, 4),))


def plan(armed: bool, rate_hz: int = RATE_HZ, period: int = PERIOD, click: bool = False) -> Plan:
    """The demo as a plan, without a database: ten tracks, all armed or none."""
    quiet = 16 - len(INPUTS)
    preamps = Preamps(
        (*(i.gain_db for i in INPUTS), *(0.0,) * quiet),
        (*(i.phantom for i in INPUTS), *(False,) * quiet),
        (0.0,) * 16,
    )
    tracks = tuple(TrackPlan(i.socket, i.name, (i.socket - 1,), armed, 0.0, i.pan) for i in INPUTS)
    return Plan(
        1, TITLE, 1, INTERFACE, rate_hz, period, BITS, 16, 12, preamps, tracks, (), tempo(rate_hz), click
    )


def load(desk: Desk) -> int:
    """The demo session's id; makes the session when it is not there."""
    with desk.database.transaction() as db:
        there = db.scalar(select(Session.id).where(Session.title == TITLE).order_by(Session.id).limit(1))
        if there is not None:
            return there
        session = Session(
            title=TITLE, folder="the-lamplighters-ferry", interface=INTERFACE, rate_hz=RATE_HZ, period=PERIOD,
            bits=BITS, tempo=tempo().to_dict(),
            inputs=[
                Input(
                    socket=i.socket, source=i.name, pickup=i.pickup, note=i.note, phantom=i.phantom, gain_db=i.gain_db
                )
                for i in INPUTS
            ],
            tracks=[Track(place=i.socket, name=i.name, sockets=[i.socket], pan=i.pan) for i in INPUTS],
        )
        db.add(session)
        db.flush()
        return session.id
