"""A certificate of this machine's own, for HTTPS where nobody else vouches for it: made once, kept, and renewed in
time.

ECDSA on P-256, as every browser of the last ten years knows it; 397 days, which is the most that some of them accept.
"""

import contextlib
import datetime as dates
import ipaddress
import os
import socket
from dataclasses import dataclass
from pathlib import Path

import psutil
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from cattailer.core.errors import Refusal

DAYS, RENEW_DAYS = 397, 30


@dataclass(frozen=True)
class Certificate:
    path: Path
    key: Path

    @property
    def fingerprint(self) -> str:
        """SHA-256, as browsers show it. Raises Refusal when it cannot be read."""
        return ":".join(f"{byte:02X}" for byte in _read(self.path).fingerprint(hashes.SHA256()))


def own(folder: Path, host: str, now: dates.datetime | None = None) -> Certificate:
    """The certificate in ``folder``; a new one where there is none, or that one ends soon or lacks a name or an
    address."""
    found = Certificate(folder / "certificate.pem", folder / "certificate.key")
    now = now or dates.datetime.now(dates.UTC)
    names, addresses = machine_names(), machine_addresses(host)
    if not _good(found, names, addresses, now):
        _make(found, names, addresses, now)
    return found


def given(path: Path, key: Path) -> Certificate:
    """Somebody's own. Raises Refusal when the two are not there, or do not belong together."""
    try:
        private = serialization.load_pem_private_key(key.read_bytes(), None)
        certificate = _read(path)
    except (OSError, ValueError, TypeError) as why:
        raise Refusal(f"The key {key} cannot be read: {why}. It must be PEM, without a password.") from why
    if private.public_key() != certificate.public_key():
        raise Refusal(f"The key {key} does not belong to the certificate {path}.")
    if certificate.not_valid_after_utc < dates.datetime.now(dates.UTC):
        raise Refusal(f"The certificate {path} ended on {certificate.not_valid_after_utc:%Y-%m-%d}. Renew it first.")
    return Certificate(path, key)


def machine_names() -> list[str]:
    name = socket.gethostname().lower()
    short = name.partition(".")[0]
    return list(dict.fromkeys(["localhost", name, short, f"{short}.local"]))


def machine_addresses(host: str) -> list[str]:
    """Of all its networks, and ``host`` where that is one."""
    found = {"127.0.0.1", "::1"}
    for addresses in psutil.net_if_addrs().values():
        for each in addresses:
            if each.family in (socket.AF_INET, socket.AF_INET6):
                found.add(each.address.partition("%")[0])
    with contextlib.suppress(ValueError):
        found.add(str(ipaddress.ip_address(host)))
    return sorted(a for a in found if not ipaddress.ip_address(a).is_unspecified)


def _read(path: Path) -> x509.Certificate:
    try:
        return x509.load_pem_x509_certificate(path.read_bytes())
    except (OSError, ValueError) as why:
        raise Refusal(f"The certificate {path} cannot be read: {why}. It must be PEM.") from why


def _good(found: Certificate, names: list[str], addresses: list[str], now: dates.datetime) -> bool:
    try:
        certificate = _read(found.path)
        private = serialization.load_pem_private_key(found.key.read_bytes(), None)
        said = certificate.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    except (Refusal, OSError, ValueError, TypeError, x509.ExtensionNotFound):
        return False
    has = {*said.get_values_for_type(x509.DNSName), *map(str, said.get_values_for_type(x509.IPAddress))}
    lasts = certificate.not_valid_before_utc <= now < certificate.not_valid_after_utc - dates.timedelta(RENEW_DAYS)
    return lasts and has >= {*names, *addresses} and private.public_key() == certificate.public_key()


def _make(certificate: Certificate, names: list[str], addresses: list[str], now: dates.datetime) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    subject = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Cattailer on {names[1]}"[:64])])
    said = [*map(x509.DNSName, names), *(x509.IPAddress(ipaddress.ip_address(a)) for a in addresses)]
    made = (
        x509.CertificateBuilder().subject_name(subject).issuer_name(subject).public_key(key.public_key())
        .serial_number(x509.random_serial_number()).not_valid_before(now - dates.timedelta(1))
        .not_valid_after(now + dates.timedelta(DAYS - 1))
        .add_extension(x509.SubjectAlternativeName(said), critical=False)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .sign(key, hashes.SHA256())
    )
    write_private(certificate.key, key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    ))
    write_private(certificate.path, made.public_bytes(serialization.Encoding.PEM))


def write_private(path: Path, data: bytes) -> None:
    """Whole or not at all, and for nobody else to read."""
    beside = path.with_suffix(".new")
    beside.unlink(missing_ok=True)
    with os.fdopen(os.open(beside, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(data)
        file.flush()
        os.fsync(file.fileno())
    beside.replace(path)
