"""The transport: stopped, rolling or capturing, and where."""

from dataclasses import dataclass

from cattailer.core.errors import NotNow, Refusal

MAX_HOURS = 24


@dataclass
class Transport:
    """``origin`` is where rolling began and where stopping returns to; ``passes`` counts the starts."""

    state: str = "stopped"
    position: int = 0
    origin: int = 0
    passes: int = 0

    @property
    def rolling(self) -> bool:
        return self.state != "stopped"

    def roll(self) -> None:
        if self.state == "stopped":
            self.state = "rolling"
            self.origin = self.position
            self.passes += 1

    def capture(self) -> None:
        """Begins to capture here; rolls if it does not yet."""
        if self.state == "capturing":
            raise NotNow("A capture is already running.")
        self.roll()
        self.state = "capturing"

    def stop(self) -> None:
        """Stops and goes back to where rolling began; when stopped already, nothing happens."""
        if self.state != "stopped":
            self.state = "stopped"
            self.position = self.origin

    def locate(self, position: int, rate_hz: int) -> None:
        """Goes to a timeline position. Raises Refusal outside 0 to 24 h, NotNow while capturing."""
        if self.state == "capturing":
            raise NotNow("The position cannot be moved while a capture runs. Stop capturing first.")
        if not 0 <= position <= MAX_HOURS * 3600 * rate_hz:
            raise Refusal("That position is outside the timeline (0 to 24 hours).")
        self.position = self.origin = position
        if self.rolling:
            self.passes += 1
