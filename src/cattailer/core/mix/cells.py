"""A cell of the sheet of ears: one row as one listener hears it."""

from dataclasses import dataclass

from cattailer.core.mix.listening import Listen


@dataclass(frozen=True)
class Cell:
    """How a row sounds in a mix, group or return, where that is not as it comes: a level beside the fader, a pan of its
    own, muted there, and another way of listening to a track. An empty word listens as the track does."""

    start: str
    target: str
    level_db: float = 0.0
    pan: float | None = None
    muted: bool = False
    path: str = ""
    when: str = ""
    point: str = ""

    @property
    def route(self) -> tuple[str, str]:
        return self.start, self.target

    def listen(self, usual: Listen) -> Listen:
        return Listen(self.path or usual.path, self.when or usual.when, self.point or usual.point)
