"""Where other devices find this machine, and how a way in is shown to them."""

import io
from dataclasses import dataclass

import segno

from cattailer.core.access.codes import Offer
from cattailer.core.access.roles import Role


@dataclass(frozen=True)
class Reach:
    """``host`` is an address or name by which others find this machine, empty where only itself does; ``fingerprint``
    is its certificate's, SHA-256, as browsers show it."""

    host: str = ""
    port: int = 0
    secure_port: int = 0
    fingerprint: str = ""

    def address(self, role: Role, path: str = "") -> str:
        """Players come in over plain HTTP, where no certificate is asked about; the others over HTTPS."""
        host = f"[{self.host}]" if ":" in self.host else self.host
        if role is Role.PLAYER:
            return f"http://{host}:{self.port}{path}"
        return f"https://{host}:{self.secure_port}{path}"

    def link(self, role: Role, offer: Offer) -> str:
        return self.address(role, f"/door/{offer.link}")


def picture(link: str) -> str:
    """A QR code as SVG."""
    return str(segno.make(link, error="m", micro=False).svg_inline(scale=5, border=3, light="#fff", dark="#000"))


def for_terminal(link: str) -> str:
    """A QR code of half blocks."""
    out = io.StringIO()
    segno.make(link, error="l", micro=False).terminal(out, border=2, compact=True)
    return out.getvalue().rstrip("\n")
