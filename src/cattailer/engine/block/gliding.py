"""What the mixes sound while something changes: what was heard fades, along a smooth curve, into what is heard now.

Live inputs glide over 50 ms, whatever the period. What was captured and what the pattern player plays glide as long
when only gains change, and a few ms where the timeline jumped, began or stopped: there an attack must stay one. Ticks
of the click are never softened when they begin; one that was cut off fades out.
"""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import SOFTWARE_CHANNELS
from cattailer.core.sound.curves import rising
from cattailer.core.transport import CAPTURING, ROLLING
from cattailer.engine.block.prepared import Prepared
from cattailer.engine.sources.click import Click

Floats = NDArray[np.float32]
GLIDE_S, EDGE_S = 0.05, 0.003
MOST = 4
"""So many changes may overlap; of more, the oldest are taken as one."""


class _Past:
    """What was heard before a change. It goes on where it was, for as long as it fades."""

    def __init__(self, prepared: Prepared, sounding: str, state: str, position: int, jumped: bool) -> None:
        gains = prepared.sums[sounding]
        self.prepared, self.position, self.jumped, self.done = prepared, position, jumped, 0
        rows = slice(0, prepared.mixes)
        self.hardware, self.software, self.takes = gains.hardware[rows], gains.software[rows], gains.takes[rows]
        self.inside = state in (ROLLING, CAPTURING)
        click = prepared.click
        self.click = click if click is not None and self.inside and click.plan.sounds_while(state) else None
        self.click_mixes = prepared.click_mixes

    def reorder(self, rows: NDArray[np.intp]) -> None:
        """After a plan with other mixes: ``rows`` says for each row of the new ones which it was, -1 for none."""
        there = (rows >= 0)[:, None]
        self.hardware, self.software, self.takes = (
            np.where(there, gains[rows], np.float32(0.0)) for gains in (self.hardware, self.software, self.takes)
        )
        before = {2 * n for n in self.click_mixes}
        self.click_mixes = [n for n, row in enumerate(rows[::2]) if row in before]

    def sound(self, count: int, scratch: Floats) -> Floats | None:
        """What takes and patterns go on to sound; None for nothing."""
        if not self.inside:
            return None
        out: Floats | None = None
        if self.prepared.patterns is not None:
            self.prepared.patterns.block(self.position, scratch[:, :count])
            out = self.software @ scratch[:, :count]
        taken = None if self.prepared.playback.silent else self.prepared.playback.block(self.position, count)
        if taken is not None:
            out = self.takes @ taken if out is None else out + self.takes @ taken
        return out


class Gliding:
    """Belongs to the block path."""

    def __init__(self, rate_hz: int, period: int) -> None:
        self._past: list[_Past] = []
        self._glide, self._edge = rising(round(GLIDE_S * rate_hz)), rising(round(EDGE_S * rate_hz))
        self._scratch = np.zeros((SOFTWARE_CHANNELS, period), np.float32)
        self._clicked = np.zeros((2, period), np.float32)
        self._last: tuple[Prepared, str, str, int] | None = None

    def note(self, prepared: Prepared, sounding: str, state: str, position: int) -> bool:
        """At a block's beginning: what will be heard in it. Where that is no going on of the block before, a change
        begins here. Whether the timeline did not go straight on."""
        last = self._last
        if last is None or (last[0] is prepared and last[1:] == (sounding, state, position)):
            return False
        if last[0] is prepared and sounding == last[1] and not {state, last[2]} & {ROLLING, CAPTURING}:
            return position != last[3]  # stopped or counting, before and after: nothing that is heard depends on it
        jumped = position != last[3] or (state in (ROLLING, CAPTURING)) != (last[2] in (ROLLING, CAPTURING))
        if len(self._past) >= MOST:
            self._merge()
        self._past.append(_Past(*last, jumped))
        if last[0] is not prepared and prepared.before is not None:
            for past in self._past:
                past.reorder(prepared.before)
        return position != last[3]

    def _merge(self) -> None:
        """Makes the two oldest one: what was on its way between them stays where it is by now."""
        old, new = self._past[:2]
        gain = float(self._glide[min(old.done, len(self._glide) - 1)])
        new.hardware = old.hardware + np.float32(gain) * (new.hardware - old.hardware)
        if old.inside and new.inside and not old.jumped and old.takes.shape == new.takes.shape:
            new.software = old.software + np.float32(gain) * (new.software - old.software)
            new.takes = old.takes + np.float32(gain) * (new.takes - old.takes)
        del self._past[0]

    def went_on(self, count: int, prepared: Prepared, sounding: str, state: str, position: int) -> None:
        """At a block's end: where the next one goes on if nothing changes."""
        self._last = (prepared, sounding, state, position)
        if self._past:
            self._advance(count)

    @property
    def active(self) -> bool:
        return bool(self._past)

    def blend(self, mixes: Floats, made: Floats | None, inputs: Floats) -> None:
        """``mixes`` holds what inputs sound now, ``made`` what takes and patterns sound; afterwards ``mixes`` holds
        what is heard of both."""
        count = inputs.shape[1]
        nothing = np.zeros_like(mixes)
        live = [past.hardware @ inputs for past in self._past] + [mixes.copy()]
        inside = [self._sound(past, count, nothing) for past in self._past] + [nothing if made is None else made]
        for n, past in enumerate(self._past):
            gain = self._weights(self._glide, past.done, count)
            edge = self._weights(self._edge, past.done, count) if past.jumped else gain
            live[n + 1] = live[n] + gain * (live[n + 1] - live[n])
            inside[n + 1] = inside[n] + edge * (inside[n + 1] - inside[n])
        np.add(live[-1], inside[-1], out=mixes)

    def _sound(self, past: _Past, count: int, nothing: Floats) -> Floats:
        sound = past.sound(count, self._scratch)
        return nothing if sound is None else sound

    def add_clicks(self, mixes: Floats, click: Click | None, now: Floats) -> None:
        """Adds what is left of ticks that a jump, a stop or an edit cut off. A click whose sound was changed comes in,
        ``now``, as the one before it goes."""
        count = mixes.shape[1]
        for past in self._past:
            if past.click is None or past.done >= len(self._edge) or (past.click is click and not past.jumped):
                continue
            edge = self._weights(self._edge, past.done, count)
            if click is not None and not past.jumped:
                now *= edge
            self._clicked[:, :count] = 0.0
            past.click.add(self._clicked[:, :count], past.position)
            mixes.reshape(-1, 2, count)[past.click_mixes] += self._clicked[:, :count] * (1.0 - edge)

    def _advance(self, count: int) -> None:
        over = -1
        for n, past in enumerate(self._past):
            past.done += count
            past.position += count
            if past.done >= len(self._glide):
                over = n
        if over >= 0:
            del self._past[: over + 1]

    @staticmethod
    def _weights(curve: Floats, done: int, count: int) -> Floats:
        part = curve[done : done + count]
        return part if len(part) == count else np.concatenate([part, np.ones(count - len(part), np.float32)])
