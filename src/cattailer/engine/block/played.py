"""What is played from inside in a block: takes, the pattern player and the click.

Where the timeline jumped, began or stopped, what sounded goes and what sounds comes within a few ms: an attack must
stay one. Where only takes or patterns themselves changed, one fades into the other over a glide. Ticks of the click are
never softened when they begin; one that was cut off fades out.
"""

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import SOFTWARE_CHANNELS
from cattailer.core.sound.curves import along, gliding, rising
from cattailer.core.transport import COUNTING, plays
from cattailer.engine.block.prepared import Prepared
from cattailer.engine.sources.click import Click, Count
from cattailer.engine.sources.guide import Keyboard

Floats = NDArray[np.float32]
Stretches = list[tuple[int, int, int]]
EDGE_S = 0.003


class _Gone:
    """What was played before a change. It goes on where it was, for as long as it fades."""

    def __init__(self, prepared: Prepared, state: str, position: int, jumped: bool, curve: Floats) -> None:
        self.playback, self.patterns = prepared.playback, prepared.patterns
        self.plays, self.position, self.jumped, self.curve, self.done = plays(state), position, jumped, curve, 0
        click = prepared.click
        self.click = click if click is not None and self.plays and click.plan.sounds_while(state) else None
        self.guides = prepared.guides if self.plays else None

    def weights(self, count: int) -> Floats:
        return along(self.curve, self.done, count)


class Played:
    """Belongs to the block path."""

    def __init__(self, rate_hz: int, period: int) -> None:
        self.software = np.zeros((SOFTWARE_CHANNELS, period), np.float32)
        """What the pattern player plays, as it is captured: without edges."""
        self._scratch = np.zeros((SOFTWARE_CHANNELS, period), np.float32)
        self._ticks = np.zeros((2, period), np.float32)
        self._edges: Floats | None = None
        self._rise = rising(round(EDGE_S * rate_hz))
        self._edge, self._glide = np.append(self._rise, np.float32(1.0)), gliding(rate_hz)
        self._since_wrap = self._reached = 1 << 30
        self._patterned = self._ticked = self._guided = True
        """Whether the block before may have left something where patterns, ticks and guide notes stand."""
        self._gone: list[_Gone] = []
        self._last: tuple[Prepared, str, int] | None = None

    @property
    def silent_before(self) -> bool:
        """Whether nothing was played at the end of the block before."""
        return self._last is None or not plays(self._last[1])

    def note(self, prepared: Prepared, state: str, position: int) -> bool:
        """At a block's beginning: what will be played in it. Whether the timeline did not go straight on."""
        last = self._last
        if last is None:
            return False
        before, was, reached = last
        sounds, sounded = plays(state), plays(was)
        jumped = position != reached
        changed = (before.playback is not prepared.playback or before.patterns is not prepared.patterns
                   or before.click is not prepared.click or before.guides is not prepared.guides)
        if (sounds or sounded) and (jumped or sounds != sounded):
            self._gone.append(_Gone(*last, True, self._rise))
        elif sounds and changed:
            self._gone.append(_Gone(*last, False, self._glide))
        return jumped

    def went_on(self, count: int, prepared: Prepared, state: str, position: int) -> None:
        """At a block's end: where the next one goes on if nothing changes."""
        self._last = (prepared, state, position)
        for gone in self._gone:
            gone.done += count
            gone.position += count
        if self._gone and self._gone[0].done >= len(self._gone[0].curve):
            self._gone = [g for g in self._gone if g.done < len(g.curve)]

    def block(
        self, prepared: Prepared, state: str, stretches: Stretches, loop: tuple[int, int] | None, incoming: Floats
    ) -> Floats | None:
        """Writes the pattern player's channels into ``incoming``, and returns the takes, (track channels, samples), or
        None where none sound."""
        count, sounds = incoming.shape[1], plays(state)
        heard, takes = incoming, None
        if sounds and prepared.patterns is not None:
            software = self.software[:, :count]
            for done, at, length in stretches:
                prepared.patterns.block(at, software[:, done : done + length])
            heard[:] = software
            self._patterned = True
        elif self._patterned or self._gone:
            self.software[:] = 0.0
            heard[:] = 0.0
            self._patterned = bool(self._gone)
        if sounds and not prepared.playback.silent:
            takes = prepared.playback.stretches(stretches)
        self._edges = self._round(stretches, loop, count) if sounds and loop is not None else None
        if self._edges is not None:
            heard *= self._edges
            takes = None if takes is None else takes * self._edges
        for gone in reversed(self._gone):
            takes = self._fade(gone, prepared, heard, takes, count)
        return takes

    def _fade(
        self, gone: _Gone, prepared: Prepared, software: Floats, takes: Floats | None, count: int
    ) -> Floats | None:
        weights = gone.weights(count)
        if gone.jumped or gone.patterns is not prepared.patterns:
            software *= weights
            if gone.plays and gone.patterns is not None:
                gone.patterns.block(gone.position, self._scratch[:, :count])
                software += (1.0 - weights) * self._scratch[:, :count]
        if not gone.jumped and gone.playback is prepared.playback:
            return takes
        old = None
        if gone.plays and not gone.playback.silent and gone.playback.rows == prepared.playback.rows:
            old = gone.playback.block(gone.position, count)
        if takes is not None:
            takes = takes * weights
        if old is not None:
            takes = (1.0 - weights) * old + (0.0 if takes is None else takes)
        return takes

    def ticks(
        self, prepared: Prepared, state: str, stretches: Stretches, count_in: Count | None, out: Floats
    ) -> None:
        """Writes the click, or what is counted in, into ``out``, shape (2, samples), with what is left of ticks that a
        jump, a stop or an edit cut off."""
        count = out.shape[1]
        click: Click | None = count_in if state == COUNTING else prepared.click
        if click is not None and state != COUNTING and not click.plan.sounds_while(state):
            click = None
        if click is None and not self._gone and not self._ticked:
            return
        out[:] = 0.0
        self._ticked = click is not None or bool(self._gone)
        if click is not None:
            for done, at, length in stretches:
                click.add(out[:, done : done + length], at)
        for gone in self._gone:
            if gone.click is None or (gone.click is click and not gone.jumped):
                continue
            weights = gone.weights(count)
            if click is not None and not gone.jumped:
                out *= weights
            ticks = self._ticks[:, :count]
            ticks[:] = 0.0
            gone.click.add(ticks, gone.position)
            out += ticks * (1.0 - weights)

    def guides(
        self, prepared: Prepared, state: str, stretches: Stretches, keys: Keyboard, now: int, out: Floats
    ) -> None:
        """Writes guide notes into ``out``, shape (samples,): those on the timeline, with what is left of what a jump, a
        stop or an edit cut off, and those of keys that are held down at ring sample ``now``."""
        new = prepared.guides if plays(state) else None
        if new is None and not self._gone and keys.silent and not self._guided:
            return
        out[:] = 0.0
        self._guided = new is not None or bool(self._gone) or not keys.silent
        if new is not None:
            for done, at, length in stretches:
                new.add(out[done : done + length], at)
            if self._edges is not None:
                out *= self._edges
        for gone in self._gone:
            if not gone.jumped and gone.guides is prepared.guides:
                continue
            weights = gone.weights(len(out))
            out *= weights
            if gone.guides is not None:
                old = self._scratch[0, : len(out)]
                old[:] = 0.0
                gone.guides.add(old, gone.position)
                out += old * (1.0 - weights)
        keys.add(out, now)

    def _round(self, stretches: Stretches, loop: tuple[int, int], count: int) -> Floats | None:
        """Gains where a loop's end meets its beginning: what sounds goes and comes within a few ms."""
        edge, out = self._edge, None
        for done, at, length in stretches:
            if at == loop[0] and self._reached == loop[1]:
                self._since_wrap = 0
            ends = at < loop[1] < at + length + len(edge)
            if ends or self._since_wrap < len(edge):
                out = np.ones(count, np.float32) if out is None else out
                part = out[done : done + length]
                if ends:
                    part *= edge[np.clip(loop[1] - 1 - np.arange(at, at + length), 0, len(edge) - 1)]
                if self._since_wrap < len(edge):
                    part *= edge[np.clip(self._since_wrap + np.arange(length), 0, len(edge) - 1)]
            self._since_wrap += length
            self._reached = at + length
        return out
