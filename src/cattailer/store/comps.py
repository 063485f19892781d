"""What is made of takes: comps, and what people think of a take in a phrase."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Text
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Mapped, mapped_column

from cattailer.store.base import Base, now


class Comp(Base):
    """Pieces of several takes of one track, at ``rate_hz``, as ``core.comps.comppiece`` reads them. ``roll``: the
    capture that made it by going over the comp ``over_id``. ``ticks`` are where notes begin, and last the rate at which
    they are."""

    __tablename__ = "comps"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    track_id: Mapped[int] = mapped_column(ForeignKey("tracks.id", ondelete="CASCADE"), index=True)
    name: Mapped[str]
    rate_hz: Mapped[int]
    pieces: Mapped[list[Any]] = mapped_column(default=list)
    roll: Mapped[str] = mapped_column(default="")
    over_id: Mapped[int | None]
    ticks: Mapped[list[int]] = mapped_column(ARRAY(BigInteger), default=list)
    made_at: Mapped[datetime] = mapped_column(default=now)


class CellMark(Base):
    """What somebody thinks of a take of a track in a phrase, by the phrase's id: a rating as of runs, or empty, and a
    note."""

    __tablename__ = "cell_marks"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("takes.id", ondelete="CASCADE"), index=True)
    phrase: Mapped[int]
    rating: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")


class Phrase(Base):
    """A named stretch of the music, at ``rate_hz``; ``name`` may be a line of the text. ``given``: its ends as
    they were typed, each empty where nobody did."""

    __tablename__ = "phrases"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    start: Mapped[int] = mapped_column(BigInteger)
    stop: Mapped[int] = mapped_column(BigInteger)
    rate_hz: Mapped[int]
    given: Mapped[list[str]] = mapped_column(ARRAY(Text), default=list)
    name: Mapped[str] = mapped_column(default="")
