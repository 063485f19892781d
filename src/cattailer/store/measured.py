"""What was measured: round trips of interfaces, sound checks and noise."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey
from sqlalchemy.orm import Mapped, mapped_column

from cattailer.store.base import Base, now


class RoundTrip(Base):
    """A measured round trip of an interface at a rate and buffer. The one that is ``used`` corrects what the
    driver claims there."""

    __tablename__ = "round_trips"
    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    interface: Mapped[str] = mapped_column(index=True)
    rate_hz: Mapped[int]
    period: Mapped[int]
    way: Mapped[str]
    measured_samples: Mapped[float]
    spread_samples: Mapped[float]
    confidence: Mapped[float]
    inverted: Mapped[bool]
    claimed_samples: Mapped[int]
    used: Mapped[bool] = mapped_column(default=False)


class Check(Base):
    """A sound check, or a measurement of noise: what each row gave, by socket, and how it was set then."""

    __tablename__ = "checks"
    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    at: Mapped[datetime] = mapped_column(default=now)
    phase: Mapped[str]
    seconds: Mapped[float]
    rows: Mapped[list[Any]]
