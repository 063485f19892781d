"""How a capture goes along the timeline, and when it begins."""

from collections.abc import Iterator
from dataclasses import dataclass

NOW, ROLLS, SOUND, SOUNDS = "now", "rolls", "sound", "sounds"
BEGINS = (NOW, ROLLS, SOUND, SOUNDS)
"""At once; at the next press or when the timeline rolls; when sound arrives; only while there is sound."""
LEAST_PASS_S = 0.5
"""A pass is no shorter: the files of each must be opened while the one before it is captured."""
JOIN_S = 1.0
"""So much is kept either side of a punch, so that its joins can be moved."""


@dataclass(frozen=True)
class Course:
    """All in samples. ``start`` is where it captures from, None where the timeline stands; ``until`` is where it ends,
    or goes round (``loops``) to ``first``, None without an end. ``passes`` is how many times, 0 without end; with
    ``pause`` the timeline stops between them for so long, and each is counted in.

    ``pre_roll`` is rolled before it, ``post_roll`` after it. At most ``limit`` samples are captured. Sound is what
    reaches ``threshold`` (amplitude); of what came before it ``before`` samples are kept, a stretch of it ends when
    none came for ``gap`` samples, and ``tail`` of those are kept. ``joins``: what lies either side is kept too.
    """

    begin: str = NOW
    start: int | None = None
    first: int | None = None
    until: int | None = None
    loops: bool = False
    passes: int = 0
    pause: int = 0
    pre_roll: int = 0
    post_roll: int = 0
    limit: int | None = None
    threshold: float = 0.0
    before: int = 0
    gap: int = 0
    tail: int = 0
    joins: bool = False

    @property
    def waits(self) -> bool:
        """Whether something must come before it begins."""
        return self.begin != NOW

    @property
    def pauses(self) -> bool:
        """Whether the timeline stops between its passes."""
        return self.loops and self.pause > 0

    def spans(self, start: int) -> Iterator[tuple[int, int | None]]:
        """The passes when it begins at timeline position ``start``: where each begins and how long it is, None without
        end. Without a loop there is one; one that begins beyond the range goes straight on."""
        if self.until is None or start >= self.until:
            yield start, self.limit
            return
        first = start if self.first is None else self.first
        done = number = 0
        while self.limit is None or done < self.limit:
            at = start if number == 0 else first
            length = self.until - at
            if self.limit is not None:
                length = min(length, self.limit - done)
            yield at, length
            number, done = number + 1, done + length
            if not self.loops or number == self.passes:
                return

    def samples(self, start: int) -> int | None:
        """How many are captured altogether, None without end."""
        if self.limit is None and self.loops and not self.passes and self.until is not None and start < self.until:
            return None
        lengths = [length for _, length in self.spans(start)]
        return None if None in lengths else sum(n for n in lengths if n is not None)
