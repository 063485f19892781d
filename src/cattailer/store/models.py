"""What is kept: sessions with their patch, mixes, runs, takes and media."""

import uuid
from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Float, ForeignKey, Index, Integer, Text, UniqueConstraint, text
from sqlalchemy.dialects.postgresql import ARRAY
from sqlalchemy.orm import Mapped, mapped_column, relationship

from cattailer.core.mix.limiting import TRUE_PEAK
from cattailer.core.mix.listening import AUTO, CHANNEL, THROUGH
from cattailer.core.naming import DEFAULT_PATTERN
from cattailer.store.base import Base, now


class Session(Base):
    """One piece of work. ``identity`` is for good. ``folder`` is its place below ``media_root``, or the usual one where
    that is empty; ``fallback_root`` holds what goes on where the disk fails. ``revision`` counts edits; ``takes_``,
    ``spans_`` and ``plan_revision`` are those at which what sounds, takes, or anything else of the plan changed last.
    The range is empty where its ends are equal, and typed as ``range_given``. ``alone`` is the end that the main mix
    plays alone; ``hearing`` are takes tried in the mix, by track. ``kept`` is its shelf, ``room`` the stand-in's."""

    __tablename__ = "sessions"

    id: Mapped[int] = mapped_column(primary_key=True)
    title: Mapped[str]
    identity: Mapped[str] = mapped_column(unique=True, default=lambda: str(uuid.uuid4()))
    folder: Mapped[str] = mapped_column(unique=True)
    interface: Mapped[str]
    rate_hz: Mapped[int]
    period: Mapped[int]
    bits: Mapped[int]
    tempo: Mapped[dict[str, Any]]
    click: Mapped[bool] = mapped_column(default=False)
    code: Mapped[str] = mapped_column(default="")
    name_pattern: Mapped[str] = mapped_column(default=DEFAULT_PATTERN)
    away_inputs: Mapped[list[int]] = mapped_column(ARRAY(Integer), default=list)
    away_outputs: Mapped[list[int]] = mapped_column(ARRAY(Integer), default=list)
    accepted: Mapped[list[str]] = mapped_column(ARRAY(Text), default=list)
    window_dbfs: Mapped[list[float]] = mapped_column(ARRAY(Float), default=lambda: [-18.0, -12.0])
    reference_hz: Mapped[float] = mapped_column(default=440.0)
    tracking_period: Mapped[int] = mapped_column(default=128)
    mixing_period: Mapped[int] = mapped_column(default=1024)
    mixing: Mapped[bool] = mapped_column(default=False)
    clicking: Mapped[dict[str, Any]] = mapped_column(default=dict)
    guides: Mapped[list[Any]] = mapped_column(default=list)
    capturing: Mapped[dict[str, Any]] = mapped_column(default=dict)
    range_start: Mapped[int] = mapped_column(BigInteger, default=0)
    range_stop: Mapped[int] = mapped_column(BigInteger, default=0)
    range_given: Mapped[list[str]] = mapped_column(ARRAY(Text), default=list)
    looping: Mapped[bool] = mapped_column(default=False)
    ruler: Mapped[str] = mapped_column(default="bars")
    media_root: Mapped[str] = mapped_column(default="")
    copy_root: Mapped[str] = mapped_column(default="")
    fallback_root: Mapped[str] = mapped_column(default="")
    kept: Mapped[str] = mapped_column(default="")
    alone: Mapped[str] = mapped_column(default="")
    room: Mapped[list[Any]] = mapped_column(default=list)
    hearing: Mapped[dict[str, Any]] = mapped_column(default=dict)
    revision: Mapped[int] = mapped_column(default=1)
    takes_revision: Mapped[int] = mapped_column(default=1)
    spans_revision: Mapped[int] = mapped_column(default=1)
    plan_revision: Mapped[int] = mapped_column(default=1)
    created_at: Mapped[datetime] = mapped_column(default=now)
    opened_at: Mapped[datetime | None]

    inputs: Mapped[list["Input"]] = relationship(order_by="Input.socket", cascade="all, delete-orphan")
    tracks: Mapped[list["Track"]] = relationship(order_by="Track.place", cascade="all, delete-orphan")
    groups: Mapped[list["Group"]] = relationship(order_by="Group.place", cascade="all, delete-orphan")
    returns: Mapped[list["Return"]] = relationship(order_by="Return.place", cascade="all, delete-orphan")
    mixes: Mapped[list["Mix"]] = relationship(order_by="Mix.place", cascade="all, delete-orphan")
    routes: Mapped[list["Route"]] = relationship(order_by="Route.start, Route.target", cascade="all, delete-orphan")
    runs: Mapped[list["Run"]] = relationship(order_by="Run.number", cascade="all, delete-orphan")


class Input(Base):
    """What is plugged into a socket (as printed, from 1), and its preamp."""

    __tablename__ = "inputs"

    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), primary_key=True)
    socket: Mapped[int] = mapped_column(primary_key=True)
    label: Mapped[str] = mapped_column(default="")
    source: Mapped[str] = mapped_column(default="")
    pickup: Mapped[str] = mapped_column(default="")
    technique: Mapped[str] = mapped_column(default="")
    distance: Mapped[str] = mapped_column(default="")
    aim: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    gain_db: Mapped[float] = mapped_column(default=0.0)
    pad: Mapped[bool] = mapped_column(default=False)
    phantom: Mapped[bool] = mapped_column(default=False)
    low_cut: Mapped[bool] = mapped_column(default=False)
    polarity: Mapped[bool] = mapped_column(default=False)
    instrument: Mapped[bool] = mapped_column(default=False)
    soft_limit: Mapped[bool] = mapped_column(default=False)
    checked: Mapped[bool] = mapped_column(default=False)


class Track(Base):
    """A named destination. ``feeds`` are channels as in ``core.patch.patch``: one, or two for a pair. ``comp_id`` is
    the comp in use, None where the newest take is on top; ``comp_before`` the one to compare it with. ``together`` is
    the track with which it is chosen and cut, itself where it is alone, None where who played settles it."""

    __tablename__ = "tracks"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    place: Mapped[int]
    name: Mapped[str]
    feeds: Mapped[list[str]] = mapped_column(ARRAY(Text))
    armed: Mapped[bool] = mapped_column(default=False)
    locked: Mapped[bool] = mapped_column(default=False)
    fader_db: Mapped[float] = mapped_column(default=0.0)
    pan: Mapped[float] = mapped_column(default=0.0)
    width_percent: Mapped[float] = mapped_column(default=100.0)
    balance_db: Mapped[float] = mapped_column(default=0.0)
    colour: Mapped[str] = mapped_column(default="")
    icon: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    window_dbfs: Mapped[list[float]] = mapped_column(ARRAY(Float), default=list)
    muted: Mapped[bool] = mapped_column(default=False)
    soloed: Mapped[bool] = mapped_column(default=False)
    listen_path: Mapped[str] = mapped_column(default=THROUGH)
    listen_when: Mapped[str] = mapped_column(default=AUTO)
    listen_point: Mapped[str] = mapped_column(default=CHANNEL)
    live_db: Mapped[float] = mapped_column(default=0.0)
    playback_db: Mapped[float] = mapped_column(default=0.0)
    effects: Mapped[dict[str, Any]] = mapped_column(default=dict)
    prints: Mapped[bool] = mapped_column(default=False)
    comp_id: Mapped[int | None]
    comp_before: Mapped[int | None]
    together: Mapped[int | None]

    takes: Mapped[list["Take"]] = relationship(
        order_by="Take.number", cascade="all, delete-orphan", back_populates="track")


class Group(Base):
    """Tracks summed under one fader."""

    __tablename__ = "groups"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    place: Mapped[int]
    name: Mapped[str]
    fader_db: Mapped[float] = mapped_column(default=0.0)
    muted: Mapped[bool] = mapped_column(default=False)
    soloed: Mapped[bool] = mapped_column(default=False)
    effects: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Return(Base):
    """Where shared effects come back."""

    __tablename__ = "returns"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    place: Mapped[int]
    name: Mapped[str]
    fader_db: Mapped[float] = mapped_column(default=0.0)
    muted: Mapped[bool] = mapped_column(default=False)
    effects: Mapped[dict[str, Any]] = mapped_column(default=dict)


class Mix(Base):
    """The main mix or a cue mix; ``outputs`` as printed: two, or none. ``own`` are the tracks of whoever listens."""

    __tablename__ = "mixes"

    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    place: Mapped[int]
    name: Mapped[str]
    kind: Mapped[str] = mapped_column(default="cue")
    outputs: Mapped[list[int]] = mapped_column(ARRAY(Integer), default=list)
    fader_db: Mapped[float] = mapped_column(default=-6.0)
    after_fader: Mapped[bool] = mapped_column(default=True)
    own: Mapped[list[int]] = mapped_column(ARRAY(Integer), default=list)
    forward_db: Mapped[float] = mapped_column(default=0.0)
    limit_dbfs: Mapped[float | None]
    limit_by: Mapped[str] = mapped_column(default=TRUE_PEAK)


class Route(Base):
    """A way from a track, group or return into a group, return or mix, by their keys as in ``core.patch.ends``, and how
    it sounds there; see ``core.mix.cells``. The click's ways are there only where they differ from the plain one."""

    __tablename__ = "routes"

    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), primary_key=True)
    start: Mapped[str] = mapped_column(primary_key=True)
    target: Mapped[str] = mapped_column(primary_key=True)
    level_db: Mapped[float] = mapped_column(default=0.0)
    pan: Mapped[float | None]
    muted: Mapped[bool] = mapped_column(default=False)
    path: Mapped[str] = mapped_column(default="")
    when: Mapped[str] = mapped_column(default="")
    point: Mapped[str] = mapped_column(default="")


class Run(Base):
    """One pass that was captured; ``roll`` is the uuid of the first that the same press of Capture made, and
    ``pass_number`` counts them. ``uuid`` is the one in the journal, as are the buffer and the round trip. ``rating`` is
    "good", "maybe", "no" or empty; ``verified`` empty until its files were read again, then "yes" or what is wrong, as
    ``copied`` is of its second copy; ``over`` what becomes of what was there, see ``core.takes.over``; ``waved`` what
    the ready check had found; ``goes_on`` where it begins right after the pass before; ``folded`` on the comp sheet."""

    __tablename__ = "runs"
    __table_args__ = (UniqueConstraint("session_id", "number"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    uuid: Mapped[str] = mapped_column(unique=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    start: Mapped[int] = mapped_column(BigInteger)
    samples: Mapped[int] = mapped_column(BigInteger)
    rate_hz: Mapped[int]
    began_at: Mapped[datetime]
    message: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    recovered: Mapped[bool] = mapped_column(default=False)
    dropouts: Mapped[list[Any]]
    period: Mapped[int] = mapped_column(default=0)
    round_trip_samples: Mapped[int] = mapped_column(default=0)
    claimed_samples: Mapped[int] = mapped_column(default=0)
    roll: Mapped[str] = mapped_column(default="", index=True)
    pass_number: Mapped[int] = mapped_column(default=1)
    over: Mapped[str] = mapped_column(default="")
    rating: Mapped[str] = mapped_column(default="")
    verified: Mapped[str] = mapped_column(default="")
    waved: Mapped[list[str]] = mapped_column(ARRAY(Text), default=list)
    copied: Mapped[str] = mapped_column(default="")
    folded: Mapped[bool] = mapped_column(default=False)
    goes_on: Mapped[bool] = mapped_column(default=False)

    takes: Mapped[list["Take"]] = relationship(back_populates="run", cascade="all, delete-orphan")


class Media(Base):
    """A file, by its path below the session's folder, or its whole path elsewhere. ``original_id`` is what it was
    converted from."""

    __tablename__ = "media"
    id: Mapped[int] = mapped_column(primary_key=True)
    session_id: Mapped[int] = mapped_column(ForeignKey("sessions.id", ondelete="CASCADE"), index=True)
    path: Mapped[str]
    channels: Mapped[int]
    bits: Mapped[int]
    rate_hz: Mapped[int]
    samples: Mapped[int] = mapped_column(BigInteger)
    crc32: Mapped[str]
    original_id: Mapped[int | None] = mapped_column(ForeignKey("media.id", ondelete="CASCADE"), index=True)


class Take(Base):
    """What one track got in one run; ``number`` is the run's. ``source`` is who played, ``gain_db`` the preamp's gain
    less its pad, ``preamp`` how that was set, in words, ``printed`` whether the track's effects are in it,
    ``click_dbfs`` how loud a click leaked into it, None where nobody looked yet; ``moved_samples`` by how much it was
    moved because the round trip was only known later; ``clips_at`` where it clipped, in samples from its beginning.

    ``lead_in`` is what was counted in or lay before it, of which the last ``lead_in_samples`` samples are heard;
    ``lead_out`` is what lay after a punch. ``binned``: it is in the bin, put there by the run ``binned_by`` where that
    replaced it; ``cuts`` are stretches of it, [start, stop, run] at its rate, that later runs replaced.
    """

    __tablename__ = "takes"
    __table_args__ = (Index("ix_takes_unheard", "id", postgresql_where=text("click_dbfs IS NULL")),)

    id: Mapped[int] = mapped_column(primary_key=True)
    track_id: Mapped[int] = mapped_column(ForeignKey("tracks.id", ondelete="CASCADE"), index=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("runs.id", ondelete="CASCADE"), index=True)
    media_id: Mapped[int] = mapped_column(ForeignKey("media.id", ondelete="CASCADE"), index=True)
    lead_in_id: Mapped[int | None] = mapped_column(ForeignKey("media.id", ondelete="SET NULL"))
    lead_in_samples: Mapped[int] = mapped_column(default=0)
    lead_out_id: Mapped[int | None] = mapped_column(ForeignKey("media.id", ondelete="SET NULL"))
    binned: Mapped[bool] = mapped_column(default=False)
    binned_by: Mapped[int | None]
    cuts: Mapped[list[Any]] = mapped_column(default=list)
    number: Mapped[int]
    start: Mapped[int] = mapped_column(BigInteger)
    samples: Mapped[int] = mapped_column(BigInteger)
    peak_dbfs: Mapped[float]
    clips: Mapped[int]
    clips_at: Mapped[list[int]] = mapped_column(ARRAY(BigInteger), default=list)
    source: Mapped[str] = mapped_column(default="")
    gain_db: Mapped[float | None]
    preamp: Mapped[str] = mapped_column(default="")
    printed: Mapped[bool] = mapped_column(default=False)
    click_dbfs: Mapped[float | None]
    moved_samples: Mapped[int] = mapped_column(default=0)

    track: Mapped[Track] = relationship(back_populates="takes")
    run: Mapped[Run] = relationship(back_populates="takes")
    media: Mapped[Media] = relationship(lazy="joined", innerjoin=True, foreign_keys=media_id)
    lead_in: Mapped[Media | None] = relationship(lazy="joined", foreign_keys=lead_in_id)
    lead_out: Mapped[Media | None] = relationship(foreign_keys=lead_out_id)
