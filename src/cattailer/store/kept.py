"""What is kept beside the sessions' rows: templates, settings, marks, the history of edits."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, Index, text
from sqlalchemy.orm import Mapped, mapped_column

from cattailer.store.base import Base, now


class Template(Base):
    """A session without takes, to start others from."""

    __tablename__ = "templates"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(unique=True)
    shape: Mapped[dict[str, Any]]
    created_at: Mapped[datetime] = mapped_column(default=now)


class Setting(Base):
    """What holds for all sessions, by name."""

    __tablename__ = "settings"

    name: Mapped[str] = mapped_column(primary_key=True)
    value: Mapped[dict[str, Any]]


class Mark(Base):
    """A marker, a note or a mishap at a place of the timeline, at ``rate_hz``. ``kind``: "marker", "note" or "mishap";
    "rating" is what somebody thought of the run while it was captured, kept until that is entered. ``run`` is the uuid
    of what was captured then."""

    __tablename__ = "marks"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    at: Mapped[int] = mapped_column(BigInteger)
    rate_hz: Mapped[int]
    kind: Mapped[str] = mapped_column(default="marker")
    text: Mapped[str] = mapped_column(default="")
    author: Mapped[str] = mapped_column(default="")
    run: Mapped[str] = mapped_column(default="", index=True)
    made_at: Mapped[datetime] = mapped_column(default=now)


class History(Base):
    """One edit in words, with what was there before and after it.

    Images are by row ("tracks/12"): its columns, or None where there was none. ``state`` is "done",
    "undone", "past" (undone, then overtaken by another edit) or "fixed" (cannot be undone). ``roll`` is that of the
    capture that it is, empty for edits.
    """

    __tablename__ = "history"
    __table_args__ = (
        Index("ix_history_session_id_revision", "session_id", "revision"),
        Index("ix_history_undone", "session_id", postgresql_where=text("state = 'undone'")),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    revision: Mapped[int]
    at: Mapped[datetime] = mapped_column(default=now)
    what: Mapped[str]
    state: Mapped[str] = mapped_column(default="done")
    before: Mapped[dict[str, Any]]
    after: Mapped[dict[str, Any]]
    roll: Mapped[str] = mapped_column(default="")
