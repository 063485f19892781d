"""What mixes should sound, written down once more: every way walked by itself, in double precision."""

import numpy as np
from scipy.signal import sosfilt

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Effects
from cattailer.core.mix.equalising import coefficients
from cattailer.core.mix.listening import Listen, heard
from cattailer.core.plan import Plan, TrackPlan

Sound = np.ndarray


class Summed:
    """``live`` and ``taken`` are by track: (channels, samples). ``lies`` says of which tracks something is played."""

    def __init__(self, plan: Plan, moment: str, live: list[Sound], taken: list[Sound], lies: list[bool]) -> None:
        self.plan, self.moment, self.live, self.taken, self.lies = plan, moment, live, taken, lies
        self.samples = live[0].shape[1]
        self.cells = {(c.start, c.target): c for c in plan.cells}

    def mix(self, n: int) -> Sound:
        mix, main = self.plan.mixes[n], n == 0
        out = np.zeros((2, self.samples))
        for start, target in self.plan.routes:
            cell = self.cells.get((start, target), Cell(start, target))
            if target != f"mix:{mix.id}" or cell.muted:
                continue
            kind, number = start.split(":")
            level = db(mix.fader_db + cell.level_db)
            if not main:
                own = kind == "track" and int(number) in mix.own
                level *= db(mix.forward_db / 2 if own else -mix.forward_db / 2)
            if kind == "track":
                track = self.track(int(number))
                if main and not self.sounds_in_main(track, False):
                    continue
                listen = cell.listen(track.listen)
                fader = db(track.fader_db)
                at_end = main or (mix.after_fader and listen.point == "channel")
                pan, wide = track.pan if cell.pan is None else cell.pan, (track.width_percent, track.balance_db)
                out += level * panned(self.part(track, listen, "live"), pan, *wide) * (fader if at_end else 1.0)
                out += level * panned(self.part(track, listen, "captured"), pan, *wide) * (
                    fader if main or mix.after_fader else 1.0
                )
            else:
                end = self.end(start)
                if main and end.muted:
                    continue
                sound = self.summed(start, main, getattr(end, "soloed", False))
                sound = sound if cell.pan is None else panned(sound, cell.pan)
                out += level * sound * (db(end.fader_db) if main or mix.after_fader else 1.0)
        return out

    def track(self, number: int) -> TrackPlan:
        return next(t for t in self.plan.tracks if t.id == number)

    def end(self, key: str):  # type: ignore[no-untyped-def]
        kind, number = key.split(":")
        return next(e for e in (self.plan.groups if kind == "group" else self.plan.returns) if e.id == int(number))

    def sounds_in_main(self, track: TrackPlan, through: bool) -> bool:
        """``through``: by a way through a group that is soloed."""
        soloed = any(end.soloed for end in (*self.plan.tracks, *self.plan.groups))
        return not track.muted and (track.soloed or through or not soloed)

    def part(self, track: TrackPlan, listen: Listen, which: str) -> Sound:
        """The live or the captured part of a track as somebody listens to it, behind its effects."""
        place = self.plan.tracks.index(track)
        got = heard(listen.path, listen.when, track.armed, self.moment, self.lies[place])
        if which == "live":
            sound = self.live[place] * (got.through * db(track.live_db))
            return sound if listen.point == "raw" else effected(sound, track.effects, self.plan.rate_hz)
        return effected(self.taken[place] * (got.captured * db(track.playback_db)), track.effects, self.plan.rate_hz)

    def summed(self, key: str, main: bool, through: bool) -> Sound:
        out = np.zeros((2, self.samples))
        for start, target in self.plan.routes:
            cell = self.cells.get((start, target), Cell(start, target))
            if target != key or cell.muted:
                continue
            if start.startswith("track"):
                track = self.track(int(start.split(":")[1]))
                if not main or self.sounds_in_main(track, through):
                    parts = self.part(track, track.listen, "live") + self.part(track, track.listen, "captured")
                    out += db(cell.level_db + track.fader_db) * panned(parts, track.pan, track.width_percent, track.balance_db)
            elif not (main and self.end(start).muted):
                out += db(cell.level_db + self.end(start).fader_db) * self.summed(start, main, through or getattr(self.end(start), "soloed", False))
        return effected(out, self.end(key).effects, self.plan.rate_hz)


def db(value: float) -> float:
    return 10 ** (value / 20)


def panned(sound: Sound, pan: float, width_percent: float = 100.0, balance_db: float = 0.0) -> Sound:
    if len(sound) == 2:
        ratio, apart = db(balance_db), width_percent / 100 * (1 - abs(pan))
        left, right = np.sqrt(2 / (1 + ratio**2)), ratio * np.sqrt(2 / (1 + ratio**2))
        return panned(sound[:1] * left, pan - apart) + panned(sound[1:] * right, pan + apart)
    angle = (pan + 1) * np.pi / 4
    return np.concatenate([sound * np.cos(angle), sound * np.sin(angle)])


def effected(sound: Sound, effects: Effects, rate_hz: int) -> Sound:
    """Equalisers only: what is linear can be compared to the last bit."""
    if effects.eq is None:
        return sound
    sections = np.array([[b0, b1, b2, 1.0, a1, a2] for b0, b1, b2, a1, a2 in coefficients(effects.eq, rate_hz)])
    return np.asarray(sosfilt(sections, sound, axis=1))
