"""The transport: stopped, rolling or capturing, and where."""

from dataclasses import dataclass

from cattailer.core.errors import NotNow, Refusal
from cattailer.core.time.timeline import BEFORE_ZERO_S
from cattailer.core.transport import captures

MAX_HOURS = 24


@dataclass
class Transport:
    """``origin`` is where rolling began and where stopping returns to; ``passes`` counts the starts.

    While a count-in runs the state is "counting", ``position`` lies before ``entry``, where ``after`` begins.
    """

    state: str = "stopped"
    position: int = 0
    origin: int = 0
    passes: int = 0
    entry: int = 0
    after: str = "rolling"
    loop: tuple[int, int] | None = None
    """While rolling, from its end the timeline goes on at its beginning; a capture goes straight on."""

    @property
    def rolling(self) -> bool:
        return self.state != "stopped"

    @property
    def sounding(self) -> str:
        """Whose sums hold: a count-in sounds as what comes after it, less what was captured."""
        return self.after if self.state == "counting" else self.state

    def roll(self, lead: int = 0) -> None:
        """Rolls, after ``lead`` samples of count-in."""
        if self.state == "stopped":
            self._begin("rolling", lead)

    def capture(self, lead: int = 0) -> None:
        """Begins to capture here; rolls if it does not yet, after ``lead`` samples of count-in."""
        if self.state == "counting":
            raise NotNow("The count-in runs already.")
        if self.state == "capturing":
            raise NotNow("A capture is already running.")
        if self.state == "stopped":
            self._begin("capturing", lead)
        else:
            self.state = "capturing"

    def _begin(self, state: str, lead: int) -> None:
        self.origin = self.entry = self.position
        self.position -= lead
        self.passes += 1
        self.state, self.after = ("counting" if lead else state), state

    def settle(self, period: int) -> None:
        """At a block's beginning: a count-in that is over gives way to what it counted in. It ends with a block; only
        after a dropout the block in which it ends belongs to what follows."""
        if self.state == "counting" and self.position + period > self.entry:
            self.state = self.after

    def stretches(self, count: int) -> list[tuple[int, int, int]]:
        """The next ``count`` samples as stretches that follow one another: (samples before it, position, samples)."""
        if self.loop is None or self.state != "rolling" or not self.position < self.loop[1] < self.position + count:
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
        if self.loop is not None and self.state == "rolling" and self.position == self.loop[1]:
            self.position = self.loop[0]
            stretches = [*stretches, stretches[0]]
        if len(stretches) > 1 and self.loop is not None:
            self.passes += len(stretches) - 1
            self.entry = self.loop[0]

    def stop(self) -> None:
        """Stops and goes back to where rolling began; when stopped already, nothing happens."""
        if self.state != "stopped":
            self.state = "stopped"
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
