"""The settings of effects, with their ranges; what they do to sound lies in ``engine/effects``."""

from dataclasses import asdict, dataclass, field, fields, replace
from typing import Any

from cattailer.core.errors import Refusal

SPACES = {"pantry": "Pantry", "grain barn": "Grain barn", "stone stair": "Stone stair"}
"""The spaces that a reverb has: small and soft, wide and wooden, tall and hard."""


@dataclass(frozen=True)
class Range:
    """What a setting can be, its unit, and where a control stands if nobody moves it."""

    low: float
    high: float
    unit: str
    usual: float = 0.0


HZ = Range(20.0, 20_000.0, "Hz")
BOOST = Range(-18.0, 18.0, "dB")
WIDTH = Range(0.3, 10.0, "Q")


def _setting(default: float, within: Range) -> Any:
    return field(default=default, metadata={"range": within})


@dataclass(frozen=True)
class Equaliser:
    """A low cut of 12 dB per octave (0 Hz: none), a low shelf, two peaks and a high shelf."""

    on: bool = True
    cut_hz: float = _setting(0.0, Range(0.0, 500.0, "Hz"))
    low_hz: float = _setting(120.0, HZ)
    low_db: float = _setting(0.0, BOOST)
    one_hz: float = _setting(400.0, HZ)
    one_db: float = _setting(0.0, BOOST)
    one_q: float = _setting(1.0, WIDTH)
    two_hz: float = _setting(2_500.0, HZ)
    two_db: float = _setting(0.0, BOOST)
    two_q: float = _setting(1.0, WIDTH)
    high_hz: float = _setting(8_000.0, HZ)
    high_db: float = _setting(0.0, BOOST)


@dataclass(frozen=True)
class Compressor:
    """Above ``threshold_db`` (of peaks, in dBFS) the level rises by one ``ratio``-th; ``makeup_db`` is added after.
    What is below ``detector_hz`` does not count as level (0 Hz: all of it does)."""

    on: bool = True
    threshold_db: float = _setting(-24.0, Range(-60.0, 0.0, "dB"))
    ratio: float = _setting(3.0, Range(1.0, 20.0, ": 1"))
    attack_ms: float = _setting(10.0, Range(0.1, 200.0, "ms"))
    release_ms: float = _setting(120.0, Range(5.0, 2_000.0, "ms"))
    knee_db: float = _setting(6.0, Range(0.0, 24.0, "dB"))
    makeup_db: float = _setting(0.0, Range(-12.0, 24.0, "dB"))
    detector_hz: float = _setting(0.0, Range(0.0, 500.0, "Hz"))


@dataclass(frozen=True)
class Reverb:
    """What comes out is the space alone. ``predelay_ms`` is how much later it begins, ``damping`` how soon its highs
    fade (50 %: as they do in that space), and what is below ``cut_hz`` does not reach it (0 Hz: all does)."""

    on: bool = True
    space: str = "grain barn"
    predelay_ms: float = _setting(0.0, Range(0.0, 250.0, "ms"))
    damping: float = _setting(50.0, Range(0.0, 100.0, "%"))
    cut_hz: float = _setting(0.0, Range(0.0, 500.0, "Hz"))


@dataclass(frozen=True)
class Effects:
    """What is inserted into a track's listening path, a group or a return; None where it is not."""

    eq: Equaliser | None = None
    dyn: Compressor | None = None
    reverb: Reverb | None = None

    def __bool__(self) -> bool:
        return any((self.eq, self.dyn, self.reverb))

    def to_dict(self) -> dict[str, Any]:
        return {name: value for name, value in asdict(self).items() if value is not None}

    @classmethod
    def from_dict(cls, data: dict[str, Any]) -> "Effects":
        """Settings that are not known are passed over, so that what a newer version wrote can be read."""
        return cls(**{name: _read(kind, data[name]) for name, kind in KINDS.items() if data.get(name) is not None})


KINDS: dict[str, type[Equaliser] | type[Compressor] | type[Reverb]] = {
    "eq": Equaliser, "dyn": Compressor, "reverb": Reverb,
}


def _read(kind: Any, data: dict[str, Any]) -> Any:
    known = {f.name for f in fields(kind)}
    return kind(**{name: value for name, value in data.items() if name in known})


def ranges(kind: str) -> dict[str, Range]:
    """What the settings of a kind of effect can be, by name."""
    return {f.name: f.metadata["range"] for f in fields(KINDS[kind]) if "range" in f.metadata}


def changed(effects: Effects, kind: str, name: str, value: float | bool | str) -> Effects:
    """The same with one setting changed. Raises Refusal for what there is not, and outside its range."""
    effect = getattr(effects, kind) if kind in KINDS else None
    if effect is None:
        raise Refusal("That effect is not there any more, so nothing was changed.", 404)
    if name == "on":
        new: Any = bool(value)
    elif kind == "reverb" and name == "space" and value in SPACES:
        new = value
    else:
        within = ranges(kind).get(name)
        if within is None or isinstance(value, str):
            raise Refusal("There is no such setting, so nothing was changed.")
        if not within.low <= value <= within.high:
            raise Refusal(f"That goes from {within.low:g} to {within.high:g} {within.unit}; nothing was changed.")
        new = float(value)
    return replace(effects, **{kind: replace(effect, **{name: new})})
