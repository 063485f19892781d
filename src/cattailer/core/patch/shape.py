"""The shape of a session: everything but its takes. What templates hold, and what copies are made from."""

from dataclasses import asdict, dataclass, field
from typing import Any

from cattailer.core.naming import DEFAULT_PATTERN
from cattailer.core.patch.patch import Patch
from cattailer.core.sound.meters import TARGET_WINDOW_DBFS


@dataclass(frozen=True)
class Shape:
    interface: str
    rate_hz: int
    period: int
    bits: int
    tempo: dict[str, Any]
    patch: Patch
    click: bool = False
    name_pattern: str = DEFAULT_PATTERN
    window_dbfs: tuple[float, float] = TARGET_WINDOW_DBFS
    clicking: dict[str, Any] = field(default_factory=dict)
    guides: list[dict[str, Any]] = field(default_factory=list)

    def to_dict(self) -> dict[str, Any]:
        return asdict(self)

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "Shape":
        """Raises KeyError or TypeError when ``data`` is no shape."""
        window = data.get("window_dbfs", TARGET_WINDOW_DBFS)
        return cls(**{**data, "patch": Patch.from_dict(data["patch"]), "window_dbfs": tuple(window)})
