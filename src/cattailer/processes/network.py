"""Where Cattailer answers, and by what secrets devices are known: worked out before anything is started."""

import contextlib
import ipaddress
import secrets
import socket
from dataclasses import dataclass
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.processes import certificate as certificates
from cattailer.processes.certificate import Certificate, write_private
from cattailer.services.desk.reach import Reach

SECURE_PORT = 8443


@dataclass(frozen=True)
class Wanted:
    """As somebody started it. ``shared``: others work on this machine too. ``certificate`` and ``key`` are somebody's
    own."""

    host: str = "127.0.0.1"
    port: int = 8080
    secure_port: int = SECURE_PORT
    shared: bool = False
    certificate: Path | None = None
    key: Path | None = None


@dataclass(frozen=True)
class Network:
    wanted: Wanted
    folder: Path
    certificate: Certificate | None

    @property
    def beyond(self) -> bool:
        """Whether other machines reach it."""
        return self.certificate is not None

    @property
    def url(self) -> str:
        """On this machine."""
        return f"http://{_joined(self._here, self.wanted.port)}"

    @property
    def _here(self) -> str:
        return "127.0.0.1" if self.beyond else self.wanted.host

    def open_at(self) -> list[str]:
        return [_joined(host, self.wanted.port) for host in self._hosts()]

    def secure_at(self) -> list[str]:
        return [_joined(host, self.wanted.secure_port) for host in self._hosts()] if self.beyond else []

    def _hosts(self) -> list[str]:
        """This machine's own browsers find it at 127.0.0.1, whatever the others use."""
        host = self.wanted.host
        return [host] if not self.beyond or is_wildcard(host) else ["127.0.0.1", host]

    @property
    def reach(self) -> Reach:
        host = self.wanted.host
        found = (outward_address() if is_wildcard(host) else host) if self.beyond else ""
        secure_port = self.wanted.secure_port if self.beyond else 0
        return Reach(found, self.wanted.port, secure_port, self.certificate.fingerprint if self.certificate else "")

    @property
    def secret(self) -> Path:
        return self.folder / "secret"

    @property
    def shared_key(self) -> Path:
        return self.folder / "shared.key"

    def environment(self) -> dict[str, str]:
        """For the web process."""
        reach, certificate = self.reach, self.certificate
        return {
            "CATTAILER_BIND": " ".join(self.open_at()), "CATTAILER_BIND_SECURE": " ".join(self.secure_at()),
            "CATTAILER_PORT": str(reach.port), "CATTAILER_SECURE_PORT": str(reach.secure_port or ""),
            "CATTAILER_REACH": reach.host, "CATTAILER_FINGERPRINT": reach.fingerprint,
            "CATTAILER_CERTIFICATE": str(certificate.path) if certificate else "",
            "CATTAILER_KEY": str(certificate.key) if certificate else "",
            "CATTAILER_SECRET": str(self.secret),
            "CATTAILER_SHARED_KEY": str(self.shared_key) if self.wanted.shared else "",
            "CATTAILER_NAMES": "" if is_wildcard(self.wanted.host) else self.wanted.host,
        }

    def renew(self) -> None:
        """Once a day: a certificate of our own that ends soon."""
        if self.beyond and self.wanted.certificate is None:
            certificates.own(self.folder, self.wanted.host)


def prepare(wanted: Wanted, folder: Path) -> Network:
    """With the secrets and the certificate in ``folder``. Raises Refusal for what cannot be used."""
    if (wanted.certificate is None) != (wanted.key is None):
        raise Refusal("A certificate needs its key, and a key its certificate: give both --certificate and --key.")
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    keep_secret(folder / "secret", 32)
    if wanted.shared:
        keep_secret(folder / "shared.key", 16)
    beyond, found = not is_loopback(wanted.host), None
    if wanted.certificate is not None and wanted.key is not None:
        found = certificates.given(wanted.certificate, wanted.key)
        if not beyond:
            raise Refusal("A certificate is for other machines: give --host an address of the network too.")
    elif beyond:
        found = certificates.own(folder, wanted.host)
    made = Network(wanted, folder, found)
    for address in {*made.open_at(), *made.secure_at()}:
        _check(address)
    return made


def keep_secret(path: Path, size: int) -> str:
    """A secret in a file that is nobody else's; made where there is none. Raises Refusal where others can read it."""
    if not path.exists():
        write_private(path, secrets.token_hex(size).encode())
    if path.stat().st_mode & 0o077:
        raise Refusal(f"Others here can read {path}. Delete it: a new one is made, and devices come in once more.")
    return path.read_text().strip()


def is_loopback(host: str) -> bool:
    """Raises Refusal for a host that this machine is not."""
    return all(ipaddress.ip_address(a).is_loopback for a in _resolved(host))


def is_wildcard(host: str) -> bool:
    return host in ("0.0.0.0", "::", "")


def _resolved(host: str) -> list[str]:
    try:
        found = socket.getaddrinfo(host, None, type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE)
    except OSError as why:
        raise Refusal(f"{host} is no address of this machine ({why.strerror}). Choose another --host.") from why
    return [str(address[0]).partition("%")[0] for *_, address in found]


def outward_address() -> str:
    """The address from which this machine would reach others; nothing is sent."""
    for family, far in ((socket.AF_INET, "192.0.2.1"), (socket.AF_INET6, "2001:db8::1")):
        with socket.socket(family, socket.SOCK_DGRAM) as probe, contextlib.suppress(OSError):
            probe.connect((far, 9))
            return str(probe.getsockname()[0])
    others = [a for a in certificates.machine_addresses("") if not ipaddress.ip_address(a).is_loopback]
    return others[0] if others else f"{socket.gethostname().partition('.')[0]}.local"


def _joined(host: str, port: int) -> str:
    """An IPv6 address needs brackets."""
    return f"[{host}]:{port}" if ":" in host else f"{host}:{port}"


def _check(address: str) -> None:
    host, _, port = address.rpartition(":")
    try:
        family, *_, found = socket.getaddrinfo(
            host.strip("[]"), int(port), type=socket.SOCK_STREAM, flags=socket.AI_PASSIVE
        )[0]
        with socket.socket(family) as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            probe.bind(found)
    except OSError as why:
        raise Refusal(
            f"Port {port} on {host} cannot be used ({why.strerror}). Choose another with --port or --https-port, "
            "or another --host."
        ) from why
