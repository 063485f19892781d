"""What the drivers of interfaces say of their latency."""

from pathlib import Path
from typing import Any

from cattailer.core.errors import Refusal
from cattailer.core.sound.align import SURE as SURE
from cattailer.media import profile_toml


def latencies(device: str, rate_hz: int, folder: Path | None) -> dict[str, Any]:
    """As ``latency --json`` prints it. Raises Refusal for an unknown interface or a rate that it lacks."""
    profiles = profile_toml.in_folder(folder)[0]
    profile = next((p for k, p in profiles.items() if device.casefold() in (k, p.name.casefold())), None)
    if profile is None:
        raise Refusal(f"No interface is called {device!r}; known are {', '.join(sorted(profiles))}.")
    profile.check_rate(rate_hz)
    rows = []
    for buffer in profile.buffers:
        got = profile.latency(buffer)
        rows.append({
            "buffer": buffer, "input_samples": got.input_samples, "output_samples": got.output_samples,
            "round_trip_samples": got.round_trip_samples, "round_trip_ms": round(got.round_trip_ms(rate_hz), 3),
        })
    return {"device": profile.name, "rate": rate_hz, "buffers": rows}
