"""The transport: stopped, rolling or capturing, and where."""

from dataclasses import dataclass

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.time.timeline import BEFORE_ZERO_S
from cattailer.core.transport import (
    CAPTURING,
    COUNTING,
    POST_ROLL,
    PRE_ROLL,
    ROLLING,
    STOPPED,
    WAITING,
    captures,
    moves,
)

MAX_HOURS = 24


@dataclass
class Transport:
    """``origin`` is where rolling began and where stopping returns to; ``passes`` counts the starts.

    While a count-in runs the state is "counting", ``position`` lies before ``entry``, where ``after`` begins.
    """

    state: str = STOPPED
    position: int = 0
    origin: int = 0
    passes: int = 0
    entry: int = 0
    after: str = ROLLING
    loop: tuple[int, int] | None = None
    """From its end the timeline goes on at its beginning."""
    punch: tuple[int, int | None] | None = None
    """What is captured of what is rolled, where that is not all."""
    left: int | None = None
    """For so many samples more it moves by itself, then it stands; None until somebody stops it."""

    @property
    def rolling(self) -> bool:
        """Whether anything goes on."""
        return self.state != STOPPED

    @property
    def moving(self) -> bool:
        return moves(self.state)

    @property
    def capturing(self) -> bool:
        """Whether a capture runs, is about to, or is not over yet."""
        return captures(self.after if self.state == COUNTING else self.state)

    @property
    def over(self) -> bool:
        return self.left is not None and self.left <= 0 and self.moving

    @property
    def sounding(self) -> str:
        """Whose sums hold: a count-in sounds as what comes after it, less what was captured."""
        return self.after if self.state == COUNTING else self.state

    def roll(self, lead: int = 0) -> None:
        """Rolls, after ``lead`` samples of count-in."""
        if self.state == STOPPED:
            self._begin(ROLLING, lead)

    def wait(self) -> None:
        """Stands, until something comes that a capture waits for."""
        if self.moving:
            self.position = self.origin
        self.state, self.left, self.punch = WAITING, None, None

    def capture(self, lead: int = 0) -> None:
        """Begins to capture here; rolls if it does not yet, after ``lead`` samples of count-in. With a punch it
        captures once it comes there."""
        if self.state == COUNTING:
            raise NotNow("The count-in runs already.")
        if self.state not in (STOPPED, WAITING, ROLLING):
            raise NotNow("A capture is already running.")
        state = CAPTURING if self.punch is None else PRE_ROLL
        if self.moving:
            self.state = state
        else:
            self._begin(state, lead)

    def _begin(self, state: str, lead: int) -> None:
        self.origin = self.entry = self.position
        self.position -= lead
        self.passes += 1
        self.state, self.after = (COUNTING if lead else state), state

    def settle(self, period: int) -> None:
        """At a block's beginning: a count-in that is over gives way to what it counted in. It ends with a block; only
        after a dropout the block in which it ends belongs to what follows. A punch begins with the block that it lies
        in, and ends with the first block after it."""
        if self.state == COUNTING and self.position + period > self.entry:
            self.state = self.after
        if self.punch is None:
            return
        first, until = self.punch
        if self.state == PRE_ROLL and self.position + period > first:
            self.state = CAPTURING
        if self.state == CAPTURING and until is not None and self.position >= until:
            self.state = POST_ROLL

    def _goes_round(self) -> bool:
        return self.loop is not None and self.state != COUNTING

    def stretches(self, count: int) -> list[tuple[int, int, int]]:
        """The next ``count`` samples as stretches that follow one another: (samples before it, position, samples)."""
        if self.loop is None or not self._goes_round() or not self.position < self.loop[1] < self.position + count:
            return [(0, self.position, count)]
        start, stop = self.loop
        done, position, out = 0, self.position, []
        while done < count:
            length = min(count - done, stop - position)
            out.append((done, position, length))
            done, position = done + length, start
        return out

    def advance(self, stretches: list[tuple[int, int, int]]) -> None:
        """Time passes over ``stretches``. Each time round the loop is a pass of its own."""
        _, position, length = stretches[-1]
        self.position = position + length
        if self.left is not None:
            self.left -= sum(samples for _, _, samples in stretches)
        if self.loop is not None and self._goes_round() and self.position == self.loop[1]:
            self.position = self.loop[0]
            stretches = [*stretches, stretches[0]]
        if len(stretches) > 1 and self.loop is not None:
            self.passes += len(stretches) - 1
            self.entry = self.loop[0]

    def punch_out(self) -> None:
        """Rolls on, without capturing."""
        self.state, self.punch, self.left = ROLLING, None, None

    def stop(self) -> None:
        """Stops and goes back to where rolling began; when stopped already, nothing happens."""
        self.punch = self.left = None
        if self.state == WAITING:
            self.state = STOPPED
        elif self.state != STOPPED:
            self.state = STOPPED
            self.position = self.origin

    def locate(self, position: int, rate_hz: int) -> None:
        """Goes to a timeline position. Raises Refusal outside the timeline, NotNow while capturing or counting in."""
        if captures(self.state):
            raise NotNow("The position cannot be moved while a capture runs. Stop capturing first.")
        if not -BEFORE_ZERO_S * rate_hz <= position <= MAX_HOURS * 3600 * rate_hz:
            raise Refusal("That position is outside the timeline (a minute before 0, to 24 hours).")
        self.position = self.origin = self.entry = position
        if self.rolling:
            self.passes += 1
