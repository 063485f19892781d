"""Devices that have a key: letting one in by a code, knowing it again, putting it out.

What a device has is a text signed by this studio, with a number and a secret; the database has the secret's digest.
Secrets are 256 random bits, so a plain digest is enough (nobody can try them); codes of six digits are not, so theirs
needs the studio's secret too. """

import hashlib
import hmac
import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import itsdangerous
import sqlalchemy as sa

from cattailer.core.access.codes import CODE_S, Offer, Tries, is_code, new_offer, plain_code
from cattailer.core.access.roles import Device, Role
from cattailer.core.errors import NotFound, Refusal
from cattailer.core.naming import clean_name
from cattailer.services.desk.desk import Desk
from cattailer.store.access import DeviceKey, PairingCode

SEEN_S = 30.0
"""How often it is written down when a device was seen."""
MOST_DEVICES, MOST_OFFERS = 200, 20
WRONG = "That code is not good, or not any more: each is good for two minutes and once. Ask the engineer for a new one."
OPENLY = (
    "That code is for an engineer's or an assistant's device, which comes in over HTTPS only. What was typed here "
    "could be read on the way, so the code is not good any more. Go on over HTTPS, with a new one."
)
_SALT = "device"


class Guests:
    """``secret`` signs what devices have; ``shared_key`` is the file whose text lets any browser on this machine in.
    ``gone`` is told the number of a device that was put out, here or by another process."""

    def __init__(self, desk: Desk, secret: str, shared_key: Path | None = None) -> None:
        self._desk, self._shared_key = desk, shared_key
        self._signer = itsdangerous.URLSafeSerializer(secret, salt=_SALT)
        self._pepper = hashlib.sha256(b"codes " + secret.encode()).digest()
        self._known: dict[int, tuple[Device, str]] = {}
        self._seen: dict[int, tuple[datetime, str]] = {}
        self._written = 0.0
        self._tries = Tries()
        self._lock, self._changing = threading.Lock(), threading.Lock()
        self.gone: Callable[[int], None] = lambda _: None

    def who(self, pass_text: str, address: str) -> Device | None:
        """Whose pass that is; None when it is nobody's, or not any more. Asks memory only."""
        try:
            number, secret = self._signer.loads(pass_text)
            device, digest = self._known[number]
            good = hmac.compare_digest(_digest(secret), digest)
        except (itsdangerous.BadData, KeyError, TypeError, ValueError, AttributeError):
            return None
        if not good:
            return None
        self._seen[device.id] = (datetime.now(UTC), address)
        return device

    def refresh(self) -> None:
        """Writes down who was seen, and reads who has a key: another process may have changed that too."""
        with self._changing, self._desk.database.transaction() as db:
            if time.monotonic() - self._written > SEEN_S:
                self._written = time.monotonic()
                seen, self._seen = self._seen, {}
                for number, (at, address) in seen.items():
                    db.execute(sa.update(DeviceKey).where(DeviceKey.id == number).values(seen_at=at, address=address))
            rows = db.scalars(sa.select(DeviceKey).order_by(DeviceKey.id)).all()
            before, self._known = self._known, {row.id: (_device(row), row.secret_hash) for row in rows}
        for number in before.keys() - self._known.keys():
            self.gone(number)

    def all(self) -> list[Device]:
        """Everything that has a key, as last seen."""
        self.refresh()
        seen = self._seen
        return [
            replace(d, seen_at=seen[d.id][0], address=seen[d.id][1]) if d.id in seen else d
            for d, _ in self._known.values()
        ]

    def offer(self, role: Role, name: str = "", mix: str = "") -> Offer:
        """A code, and a link, that let one device in."""
        if role is Role.PLAYER and not mix:
            raise Refusal("A player's device opens one mix: choose which. Nothing was made.")
        offer, mix = new_offer(), mix if role is Role.PLAYER else ""
        with self._desk.database.transaction() as db:
            db.execute(sa.delete(PairingCode).where(PairingCode.made_at < _oldest()))
            if (db.scalar(sa.select(sa.func.count(PairingCode.id))) or 0) >= MOST_OFFERS:
                raise Refusal(f"{MOST_OFFERS} codes are good already. Use one of them, or wait two minutes.", 409)
            db.add(PairingCode(
                role=role, name=clean_name(name, "device") if name.strip() else "", mix=mix,
                code_hash=self._code_digest(offer.code), link_hash=_digest(offer.link),
            ))
        return offer

    def is_good(self, link: str) -> bool:
        """Whether nobody has used an offer yet, and it is not too old."""
        with self._desk.database.transaction() as db:
            query = sa.select(PairingCode.id).where(
                PairingCode.link_hash == _digest(link), PairingCode.made_at >= _oldest()
            )
            return db.scalar(query) is not None

    def come_in(self, said: str, name: str, address: str, openly: bool) -> tuple[Device, str]:
        """The device that came by a code, a link or the shared key, and its pass. ``openly``: not over HTTPS, and not
        on this machine, so only players come in. Raises Refusal; a code that was shown openly is not good any
        more."""
        said = plain_code(said)
        if is_code(said):
            self._check_tries(address)
        if self._is_shared_key(said):
            return self._enter(Role.ENGINEER, name or "Browser on this machine", "", address)
        offer = self._take_offer(said)
        if offer is None:
            if is_code(said):
                with self._lock:
                    self._tries.failed(address, time.monotonic())
            raise Refusal(WRONG, 403)
        role = Role(offer.role)
        if openly and role is not Role.PLAYER:
            raise Refusal(OPENLY, 403)
        return self._enter(role, name or offer.name or f"{role.capitalize()}’s device", offer.mix, address)

    def _check_tries(self, address: str) -> None:
        """A link is so long that nobody finds one by trying, so those are not counted. Raises Refusal."""
        with self._lock:
            wait_s = self._tries.wait_s(address, time.monotonic())
        if wait_s > 0:
            words = f"Too many codes were wrong. Wait {wait_s:.0f} s, or scan a picture: those are not counted."
            raise Refusal(words, 429)

    def make_key(self, role: Role, name: str) -> tuple[Device, str]:
        """A key for a script or another controller: its pass is shown once."""
        if role is Role.PLAYER:
            raise Refusal("A script is an engineer or an assistant. Nothing was made.")
        return self._enter(role, name or "Script", "", "")

    def put_out(self, number: int) -> Device:
        """At once: its pass is nobody's from now on. Raises NotFound."""
        with self._changing:
            with self._desk.database.transaction() as db:
                row = db.get(DeviceKey, number)
                if row is None:
                    raise NotFound("That device is not in the list any more.")
                db.delete(row)
            self._known = {k: v for k, v in self._known.items() if k != number}
        self.gone(number)
        return _device(row)

    def _enter(self, role: Role, name: str, mix: str, address: str) -> tuple[Device, str]:
        secret, called = secrets.token_urlsafe(32), clean_name(name, "device’s name")
        with self._changing:
            with self._desk.database.transaction() as db:
                if (db.scalar(sa.select(sa.func.count(DeviceKey.id))) or 0) >= MOST_DEVICES:
                    raise Refusal(f"{MOST_DEVICES} devices have a key. Put some out first; nothing was changed.", 409)
                row = DeviceKey(
                    name=called, role=role, mix=mix, secret_hash=_digest(secret), address=address,
                    seen_at=datetime.now(UTC) if address else None,
                )
                db.add(row)
                db.flush()
                device = _device(row)
            self._known = {**self._known, device.id: (device, _digest(secret))}
        return device, str(self._signer.dumps([device.id, secret]))

    def _take_offer(self, said: str) -> PairingCode | None:
        """What nobody else can have then: it is gone with the statement that finds it."""
        column, digest = (
            (PairingCode.code_hash, self._code_digest(said)) if is_code(said)
            else (PairingCode.link_hash, _digest(said))
        )
        with self._desk.database.transaction() as db:
            return db.scalars(
                sa.delete(PairingCode).where(column == digest, PairingCode.made_at >= _oldest()).returning(PairingCode)
            ).first()

    def _is_shared_key(self, said: str) -> bool:
        try:
            text = self._shared_key.read_text().strip() if self._shared_key else ""
        except OSError:
            return False
        return bool(text) and hmac.compare_digest(_digest(plain_code(text)), _digest(said))

    def _code_digest(self, code: str) -> str:
        return hmac.new(self._pepper, code.encode("utf-8", "replace"), hashlib.sha256).hexdigest()


def _oldest() -> datetime:
    return datetime.now(UTC) - timedelta(seconds=CODE_S)


def _digest(secret: str) -> str:
    return hashlib.sha256(secret.encode("utf-8", "replace")).hexdigest()


def _device(row: DeviceKey) -> Device:
    return Device(row.id, row.name, Role(row.role), row.mix, row.address, row.seen_at)
