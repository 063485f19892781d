"""Interface profiles as TOML files."""

import tomllib
from dataclasses import fields
from pathlib import Path

from cattailer.core.interface import Profile

SHIPPED = Path(__file__).parent / "profiles"


def load(path: Path) -> Profile:
    """Reads a profile. Raises ValueError that names the key when something is missing or unknown."""
    data = tomllib.loads(path.read_text("utf-8"))
    names = {f.name for f in fields(Profile)} - {"key"}
    missing, unknown = names - data.keys(), data.keys() - names
    if missing or unknown:
        what = f"lacks {sorted(missing)[0]}" if missing else f"has an unknown key {sorted(unknown)[0]}"
        raise ValueError(f"profile {path.name} {what}")
    lists = {k: tuple(v) for k, v in data.items() if isinstance(v, list)}
    return Profile(key=path.stem, **{**data, **lists})


def shipped() -> dict[str, Profile]:
    """The profiles that come with Cattailer, by key."""
    return {p.stem: load(p) for p in sorted(SHIPPED.glob("*.toml"))}
