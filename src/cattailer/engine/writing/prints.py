"""Effects that are captured too, on the tracks that print them: what ears get at the point *Effects*, from the
same ring.

The effects run again in the thread that writes, so the block path does nothing for it. It only notes at which sample a
control was moved, and the writer moves it there.
"""

from collections import deque
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from cattailer.core.mix.effects import Effects
from cattailer.core.mix.flow import Insert
from cattailer.core.sound.curves import along, gliding
from cattailer.core.units import amplitude
from cattailer.engine.effects.strips import Settings, Strips

Floats = NDArray[np.float32]
CHUNK = 4096
SETTLE_S = 2.0
"""So much of what came before a run goes through the effects first, where the ring still holds it."""
FAILED = "The effects of {} failed, so that track is captured without them from here on."


class _Made:
    """Make-up gain on its way: where it goes, and what is left of steps."""

    def __init__(self, effects: Effects, rate_hz: int) -> None:
        self._gain, self._curve = _make_up(effects), gliding(rate_hz)
        self._steps: list[tuple[float, int]] = []

    def move(self, effects: Effects) -> None:
        by = _make_up(effects) - self._gain
        if by:
            self._gain += by
            self._steps.append((by, 0))

    def gains(self, count: int) -> Floats:
        out = np.full(count, self._gain, np.float32)
        for by, done in self._steps:
            out -= np.float32(by) * (1.0 - along(self._curve, done, count))
        self._steps = [(by, done + count) for by, done in self._steps if done + count < len(self._curve)]
        return out


def _make_up(effects: Effects) -> float:
    return amplitude(effects.dyn.makeup_db) if effects.dyn and effects.dyn.on else 1.0


class _Track:
    def __init__(self, name: str, rows: slice, effects: Effects, rate_hz: int) -> None:
        self.name, self.rows, self.effects, self.fine = name, rows, effects, True
        insert = Insert(name, 0, rows.stop - rows.start, effects)
        self._rate, self._channels = rate_hz, insert.channels
        self._strips, self._made = Strips([insert], 0, rate_hz, CHUNK), _Made(effects, rate_hz)

    def move(self, effects: Effects) -> None:
        if effects != self.effects:
            self.effects = effects
            self._strips.ask(Settings.of([Insert(self.name, 0, self._channels, effects)], self._rate))
            self._made.move(effects)

    def process(self, sound: Floats) -> None:
        """In place. Raises whatever an effect raises."""
        self._strips.process(sound)
        sound *= self._made.gains(sound.shape[1])
        if not np.isfinite(sound.sum()):
            raise ArithmeticError("no number")


class Prints:
    """``tracks`` are by id: a name, rows of the run's block, and the effects when the run begins. Used by the thread
    that writes; only ``note`` is called by the block path. ``tell`` hears of effects that failed: that track goes on
    without."""

    def __init__(
        self, tracks: Mapping[int, tuple[str, slice, Effects]], rate_hz: int, tell: Callable[[str], None]
    ) -> None:
        self._tracks = {id_: _Track(name, rows, effects, rate_hz) for id_, (name, rows, effects) in tracks.items()}
        self._moved: deque[tuple[int, Mapping[int, Effects]]] = deque()
        self._tell = tell
        self.settle_samples = round(SETTLE_S * rate_hz)

    def note(self, sample: int, effects: Mapping[int, Effects]) -> None:
        """From ring sample ``sample`` on the effects of tracks are these."""
        self._moved.append((sample, effects))

    def process(self, block: Floats, at: int) -> None:
        """What the ring holds from ``at`` on, all rows of the run, in place."""
        done, count = 0, block.shape[1]
        while done < count:
            while self._moved and self._moved[0][0] <= at + done:
                _, effects = self._moved.popleft()
                for id_, track in self._tracks.items():
                    track.move(effects.get(id_, track.effects))
            until = min(count, done + CHUNK)
            if self._moved:
                until = min(until, self._moved[0][0] - at)
            for track in self._tracks.values():
                if track.fine:
                    self._process(track, block[track.rows, done:until])
            done = until

    def _process(self, track: _Track, sound: Floats) -> None:
        made = sound.copy()
        try:
            track.process(made)
        except Exception:  # whatever it is, the sound itself is captured
            track.fine = False
            self._tell(FAILED.format(track.name))
        else:
            sound[:] = made
