"""Interface profiles as TOML files; docs/profiles.md says what stands in them."""

import re
import tomllib
from pathlib import Path
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from cattailer.core.gear.interface import Profile, Socket

SHIPPED = Path(__file__).parent / "profiles"
MOST_BYTES = 64 << 10
MOST_SOCKETS = 128
KEY = re.compile(r"[a-z0-9][a-z0-9-]{0,39}")

Name = Annotated[str, Field(min_length=1, max_length=60)]
Decibels = Annotated[float, Field(ge=-200, le=200, allow_inf_nan=False)]
Samples = Annotated[int, Field(ge=0, le=100_000)]


class ProfileError(ValueError):
    """What is wrong with a profile, with its line and key, in the user's words."""


class _Strict(BaseModel):
    model_config = ConfigDict(extra="forbid", strict=True)


class SocketsTable(_Strict):
    """``[[sockets]]``: alike sockets from the first to the last printed number."""

    numbers: Annotated[list[Annotated[int, Field(ge=1, le=MOST_SOCKETS)]], Field(min_length=2, max_length=2)]
    connector: Name
    preamp: bool = True
    phantom: Name = "none"
    pad_db: Annotated[float, Field(ge=0, le=60)] = 0.0
    low_cut_hz: Annotated[float, Field(ge=0, le=400)] = 0.0
    polarity: bool = False
    instrument: bool = False
    soft_limit: bool = False
    remote: bool = True
    max_input_dbu: Annotated[float, Field(ge=-40, le=60)] = 24.0

    @model_validator(mode="after")
    def _sound(self) -> "SocketsTable":
        if self.numbers[0] > self.numbers[1]:
            raise ValueError("numbers must be the first and the last socket")
        switches = self.phantom != "none" or self.pad_db or self.low_cut_hz or self.instrument or self.soft_limit
        if not self.preamp and switches:
            raise ValueError("sockets without a preamp cannot have phantom, pad_db, low_cut_hz, instrument, soft_limit")
        return self


class ProfileFile(_Strict):
    name: Name
    outputs: Annotated[int, Field(ge=2, le=128)]
    rates_hz: Annotated[list[Annotated[int, Field(ge=8000, le=384_000)]], Field(min_length=1, max_length=12)]
    buffers: Annotated[list[Annotated[int, Field(ge=16, le=8192)]], Field(min_length=1, max_length=16)]
    bits: Annotated[list[int], Field(min_length=1, max_length=3)]
    gain_min_db: Decibels
    gain_max_db: Decibels
    gain_step_db: Annotated[float, Field(gt=0, le=20)]
    full_scale_dbu: Decibels
    ein_dbu: Decibels
    converter_noise_dbfs: Decibels
    converter_in: Samples
    converter_out: Samples
    direct: bool = False
    safety: Samples
    unreported: Annotated[int, Field(ge=-1000, le=10_000)] = 0
    sockets: Annotated[list[SocketsTable], Field(min_length=1, max_length=MOST_SOCKETS)]

    @model_validator(mode="after")
    def _sound(self) -> "ProfileFile":
        if any(b not in (16, 24, 32) for b in self.bits):
            raise ValueError("bits can be 16, 24 and 32 (float)")
        if self.gain_min_db > self.gain_max_db:
            raise ValueError("gain_min_db must not be above gain_max_db")
        numbers = [n for t in self.sockets for n in range(t.numbers[0], t.numbers[1] + 1)]
        if sorted(numbers) != list(range(1, len(numbers) + 1)):
            raise ValueError("sockets must be numbered from 1 on, each once")
        return self


def parse(text: str, key: str) -> Profile:
    """A profile from TOML text. Raises ProfileError that names the line and key."""
    if len(text) > MOST_BYTES:
        raise ProfileError(f"A profile has at most {MOST_BYTES >> 10} kB.")
    try:
        data = tomllib.loads(text)
    except RecursionError as why:
        raise ProfileError("This is not a profile: its brackets lie too deep in one another.") from why
    except ValueError as why:  # also numbers of more digits than Python reads
        raise ProfileError(f"This is not TOML: {why}.") from why
    try:
        file = ProfileFile.model_validate(data)
    except ValidationError as why:
        raise ProfileError(_in_words(text, why)) from why
    sockets = tuple(
        Socket(number, **table.model_dump(exclude={"numbers"}))
        for table in file.sockets
        for number in range(table.numbers[0], table.numbers[1] + 1)
    )
    plain = file.model_dump(exclude={"sockets"})
    rest: dict[str, Any] = {k: tuple(v) if isinstance(v, list) else v for k, v in plain.items()}
    return Profile(key=key, sockets=tuple(sorted(sockets, key=lambda s: s.number)), **rest)


def load(path: Path) -> Profile:
    """Raises ProfileError, OSError."""
    try:
        return parse(path.read_text("utf-8"), path.stem)
    except UnicodeDecodeError as why:
        raise ProfileError("The file is not UTF-8 text.") from why


def shipped() -> dict[str, Profile]:
    """The profiles that come with Cattailer, by key."""
    return {p.stem: load(p) for p in sorted(SHIPPED.glob("*.toml"))}


def in_folder(folder: Path | None) -> tuple[dict[str, Profile], dict[str, str]]:
    """The shipped profiles and those dropped into ``folder``; and what is wrong with those that
    cannot be read, by file name. A dropped-in file cannot take a shipped one's name."""
    found, wrong = shipped(), {}
    for path in sorted(folder.glob("*.toml")) if folder is not None and folder.is_dir() else []:
        try:
            if path.stem in found:
                raise ProfileError("A profile of that name comes with Cattailer; give the file another name.")
            found[path.stem] = load(path)
        except (ProfileError, OSError) as why:
            wrong[path.name] = str(why)
    return found, wrong


def _in_words(text: str, why: ValidationError) -> str:
    first = why.errors()[0]
    place: list[Any] = list(first["loc"])
    named = [str(p) for p in place if isinstance(p, str)]
    key = named[-1] if named else ""
    table = next((p for p in place if isinstance(p, int)), 0) if named[:1] == ["sockets"] and len(named) > 1 else None
    line = _line_of(text, key, table)
    reasons = {"missing": "is missing", "extra_forbidden": "is not known here"}
    reason = reasons.get(first["type"], first["msg"].removeprefix("Value error, ").lower())
    where = f"line {line}" if line else "the file"
    inside = f" (in [[sockets]] number {table + 1})" if table is not None else ""
    return f"In {where}: {key + ' ' if key else ''}{reason}{inside}."


def _line_of(text: str, key: str, table: int | None) -> int | None:
    """The line on which a key stands, in the top level or in the ``table``-th [[sockets]]."""
    inside, header = -1, None
    for number, line in enumerate(text.splitlines(), 1):
        if re.match(r"\s*\[\[\s*sockets\s*\]\]", line):
            inside += 1
            if inside == table or (key == "sockets" and header is None):
                header = number
        in_table = inside < 0 if table is None else inside == table
        if in_table and key and re.match(rf"\s*{re.escape(key)}\s*=", line):
            return number
    return header
