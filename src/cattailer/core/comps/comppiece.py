"""A piece of a comp: a stretch of a take where it is heard."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from cattailer.core.comps.fades import LINEAR, SHAPES
from cattailer.core.gear.rates import rescaled

LOWEST_GAIN_DB, HIGHEST_GAIN_DB = -60.0, 24.0


@dataclass(frozen=True)
class Fade:
    samples: int = 0
    shape: str = LINEAR

    def within(self, samples: int) -> "Fade":
        """No longer than that."""
        return self if self.samples <= samples else replace(self, samples=max(0, samples))


@dataclass(frozen=True)
class CompPiece:
    """Timeline [start, start + samples), from ``offset`` on in the take, where 0 is its beginning: what was counted in
    lies before, what came after a punch behind its end. ``flipped``: with its polarity reversed.

    ``seam`` is the crossfade with the piece that ends where this one begins, half of it on either side; None means the
    one that suits both sides. Pieces of one ``layer`` never overlap; layers sound together. ``key`` is the piece's
    number within its comp, which it keeps wherever it is moved; 0 until it has one.
    """

    take: int
    start: int
    samples: int
    offset: int
    gain_db: float = 0.0
    flipped: bool = False
    fade_in: Fade = Fade()
    fade_out: Fade = Fade()
    seam: Fade | None = None
    layer: int = 0
    key: int = field(default=0, compare=False)

    @property
    def stop(self) -> int:
        return self.start + self.samples

    @property
    def moved(self) -> int:
        """Where on the timeline the take would begin, of which this is a piece."""
        return self.start - self.offset

    def goes_on_in(self, other: "CompPiece") -> bool:
        """Whether both are one sound, cut where nothing changes."""
        return (
            self.take == other.take and self.layer == other.layer and self.stop == other.start
            and self.moved == other.moved and self.gain_db == other.gain_db and self.flipped == other.flipped
            and self.fade_out.samples == other.fade_in.samples == 0
        )

    def part(self, start: int, stop: int) -> "CompPiece":
        """What of it lies in [start, stop), which must be inside; a fade stays where its end of the piece does, and
        is never longer than what is left."""
        samples = stop - start
        return replace(
            self, start=start, samples=samples, offset=self.offset + start - self.start,
            fade_in=self.fade_in.within(samples) if start == self.start else Fade(),
            fade_out=self.fade_out.within(samples) if stop == self.stop else Fade(),
            seam=self.seam if start == self.start else None,
        )

    def at_rate(self, old_hz: int, new_hz: int) -> "CompPiece":
        """The same piece at another rate; pieces that met still meet."""
        if old_hz == new_hz:
            return self
        start, stop = rescaled(self.start, old_hz, new_hz), rescaled(self.stop, old_hz, new_hz)

        def fade(of: Fade) -> Fade:
            return Fade(rescaled(of.samples, old_hz, new_hz), of.shape)

        return replace(
            self, start=start, samples=stop - start, offset=start - rescaled(self.moved, old_hz, new_hz),
            fade_in=fade(self.fade_in), fade_out=fade(self.fade_out),
            seam=None if self.seam is None else fade(self.seam),
        )

    def to_dict(self) -> dict[str, Any]:
        """Plain values; what is as usual is left out."""
        out: dict[str, Any] = {"take": self.take, "start": self.start, "samples": self.samples, "offset": self.offset}
        if self.gain_db:
            out["gain_db"] = self.gain_db
        if self.flipped:
            out["flipped"] = True
        if self.layer:
            out["layer"] = self.layer
        if self.key:
            out["key"] = self.key
        for name in ("fade_in", "fade_out", "seam"):
            fade: Fade | None = getattr(self, name)
            if fade is not None and (name == "seam" or fade.samples):
                out[name] = [fade.samples, fade.shape]
        return out

    @classmethod
    def from_dict(cls, data: Mapping[str, Any]) -> "CompPiece":
        """Raises KeyError, TypeError or ValueError when ``data`` is no piece."""
        rest = dict(data)
        for name in ("fade_in", "fade_out", "seam"):
            if name in rest:
                samples, shape = rest[name]
                if shape not in SHAPES:
                    raise ValueError(f"no such shape: {shape}")
                rest[name] = Fade(int(samples), shape)
        return cls(**rest)


Pieces = tuple[CompPiece, ...]
"""By their start; none overlaps another of its layer."""


def pieces_of(data: Iterable[Mapping[str, Any]], old_hz: int = 1, new_hz: int = 1) -> Pieces:
    """From plain values, at another rate where that is wanted; a piece shorter than a sample by then is left out."""
    read = (CompPiece.from_dict(d).at_rate(old_hz, new_hz) for d in data)
    return numbered(tuple(p for p in read if p.samples > 0))


def numbered(pieces: Pieces) -> Pieces:
    """Each with a key of its own: the first of several parts keeps it, others and new ones get the next."""
    out: list[CompPiece] = []
    taken: set[int] = set()
    free = max((p.key for p in pieces), default=0) + 1
    for piece in pieces:
        if not piece.key or piece.key in taken:
            piece, free = replace(piece, key=free), free + 1
        taken.add(piece.key)
        out.append(piece)
    return tuple(out)
