"""How the first device comes in, as the terminal says it; and letting others in, and putting them out, from there."""

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

from cattailer.core.access.codes import CODE_S, Offer
from cattailer.core.access.roles import Role
from cattailer.core.errors import NotNow, Refusal
from cattailer.engine.process.client import EngineClient
from cattailer.processes import home as homes
from cattailer.processes.certificate import write_private
from cattailer.processes.home import Home
from cattailer.processes.network import Network
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.guests import Guests
from cattailer.services.desk.reach import Reach, for_terminal
from cattailer.store.database import Database


@dataclass(frozen=True)
class Way:
    """What was offered: a code with its link, or a key for a script."""

    role: Role
    reach: Reach
    offer: Offer | None = None
    key: str = ""

    @property
    def link(self) -> str:
        return self.reach.link(self.role, self.offer) if self.offer and self.reach.host else ""

    @property
    def lines(self) -> list[str]:
        if self.offer is None:
            return [self.key]
        code = f"{self.offer.code[:3]} {self.offer.code[3:]}"
        good = f"It is good once, and for {CODE_S // 60} minutes."
        if not self.link:
            return [f"Type {code} at /door. {good}"]
        article = "a" if self.role is Role.PLAYER else "an"
        return [
            f"To let {article} {self.role}'s device in: scan this, or go to {self.reach.address(self.role, '/door')}",
            f"and type {code}. {good}", for_terminal(self.link),
        ]

    def plain(self) -> dict[str, str]:
        """For --json."""
        code = self.offer.code if self.offer else ""
        return {"role": self.role.value, "code": code, "link": self.link, "key": self.key}


def way_in(network: Network, guests: Guests) -> list[str]:
    """What the start command says once everything runs."""
    out = []
    if network.wanted.shared:
        out += [
            "", "Others work on this machine too, so its browsers need a key as well. It is in",
            f"  {network.shared_key}", "which nobody else can read:", f"  {network.shared_key.read_text().strip()}",
        ]
    if network.beyond:
        out += ["", *Way(Role.ENGINEER, network.reach, guests.offer(Role.ENGINEER)).lines]
        out += ["", f"Players come in at {network.reach.address(Role.PLAYER)}, with codes from the page of devices."]
        if network.wanted.certificate is None:
            out += [
                "The certificate is this machine's own; browsers ask about it once. Its SHA-256 fingerprint:",
                f"  {network.reach.fingerprint}",
            ]
    return out


def tell_others(home: Home, network: Network, database: str) -> Path:
    """Where commands in another terminal find the studio that runs; nobody else can read it."""
    path = home.keys / "running.json"
    write_private(path, json.dumps({"database": database, "reach": asdict(network.reach)}).encode())
    return path


def pair(role: Role, name: str, mix: str, for_script: bool) -> Way:
    """Raises Refusal."""
    guests, reach = _running()
    if for_script:
        return Way(role, reach, key=guests.make_key(role, name)[1])
    return Way(role, reach, guests.offer(role, name, mix))


def devices(put_out: int | None) -> list[dict[str, Any]]:
    """All that have a key, after putting one out. Raises Refusal."""
    guests, _ = _running()
    if put_out is not None:
        guests.put_out(put_out)
    return [
        {"number": d.id, "name": d.name, "role": d.role.value, "mix": d.mix, "address": d.address,
         "seen": d.seen_at.isoformat(timespec="seconds") if d.seen_at else None}
        for d in guests.all()
    ]


def _running() -> tuple[Guests, Reach]:
    """Raises NotNow where no studio runs."""
    home = homes.find()
    try:
        told = json.loads((home.keys / "running.json").read_text())
        secret = (home.keys / "secret").read_text()
        homes.lock(home).close()
    except (OSError, ValueError):
        raise NotNow(f"No studio runs with {home.root}. Start it with ./cattailer serve first.") from None
    except Refusal:  # it is held, so it runs
        desk = Desk(Database(told["database"]), EngineClient(""), home.media)
        return Guests(desk, secret), Reach(**told["reach"])
    raise NotNow(f"No studio runs with {home.root}. Start it with ./cattailer serve first.")
