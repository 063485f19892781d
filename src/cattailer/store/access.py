"""Devices that have a key, and codes that let one in. Secrets are kept as digests."""

from datetime import datetime

from sqlalchemy.orm import Mapped, mapped_column

from cattailer.store.base import Base, now


class DeviceKey(Base):
    """``role`` is one of ``core.access.roles``; ``mix`` is the name of a player's mix. ``address`` is where it was
    seen last."""

    __tablename__ = "device_keys"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str]
    role: Mapped[str]
    mix: Mapped[str] = mapped_column(default="")
    secret_hash: Mapped[str]
    address: Mapped[str] = mapped_column(default="")
    made_at: Mapped[datetime] = mapped_column(default=now)
    seen_at: Mapped[datetime | None]


class PairingCode(Base):
    """Deleted when it is used."""

    __tablename__ = "pairing_codes"

    id: Mapped[int] = mapped_column(primary_key=True)
    role: Mapped[str]
    mix: Mapped[str] = mapped_column(default="")
    name: Mapped[str] = mapped_column(default="")
    code_hash: Mapped[str] = mapped_column(index=True)
    link_hash: Mapped[str] = mapped_column(index=True)
    made_at: Mapped[datetime] = mapped_column(default=now)
