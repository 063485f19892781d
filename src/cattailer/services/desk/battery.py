"""How much the studio machine's battery holds, where it has one."""

from contextlib import suppress
from pathlib import Path

SUPPLIES = Path("/sys/class/power_supply")
LOW_PERCENT = 25


def low(supplies: Path = SUPPLIES) -> int | None:
    """Percent left, where it is little and none comes in; None otherwise."""
    found = []
    with suppress(OSError):
        for supply in sorted(supplies.iterdir()):
            with suppress(OSError, ValueError):
                if (supply / "type").read_text().strip() == "Battery":
                    status, left = (supply / "status").read_text().strip(), int((supply / "capacity").read_text())
                    found.append((status, left))
    empties = [left for status, left in found if status == "Discharging"]
    return min(empties) if empties and min(empties) <= LOW_PERCENT else None
