"""The meters of all rows as they are told to pages: sample peak, true peak, VU or loudness."""

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cattailer.core.plan import Plan
from cattailer.core.sound.ballistics import MOMENTARY_S, SHORT_TERM_S, RowLoudness, VuMeter
from cattailer.core.sound.meters import BlockMeter, MeterFace, Reading, Window, louder_side, own_or_usual, zones
from cattailer.core.sound.truepeak import TruePeak
from cattailer.engine.messages.telemetry import Meters, TrackMeters

BELOW_SHOWN = 0.9
"""True peaks are looked for down to a little below what the falling meter still shows."""

HEARD_DBFS, LOUD_DBFS, ALIVE_DBFS = -60.0, -40.0, -75.0
"""What is heard, what is loud, and what comes from a microphone in the quietest room."""
LATELY_S = 10
SILENT_S = 20

Floats = NDArray[np.float32]

class RowMeters:
    """Peaks, RMS and clips are always gathered; what else is read only while it is shown."""

    def __init__(self, rows: int, rate_hz: int) -> None:
        self._count, self._rate = rows, rate_hz
        self.kind = "peak"
        self._meter, self._face = BlockMeter(rows), MeterFace(rows, rate_hz)
        self._true, self._vu, self._loudness = TruePeak(rows), VuMeter(rows, rate_hz), RowLoudness(rows, rate_hz)
        self._clips = np.zeros(rows, np.int64)
        self._clipped_at = np.zeros(rows)
        self._shown_floor = np.zeros(rows, np.float32)
        self._since: int | None = None
        self._heard = np.zeros(rows, np.int64)
        self._alive = np.full(rows, -(1 << 60), np.int64)
        self._loud = np.full(rows, -(1 << 60), np.int64)

    def choose(self, kind: str) -> None:
        """What is read from now on; the newly chosen one begins afresh."""
        self._true, self._vu = TruePeak(self._count), VuMeter(self._count, self._rate)
        self._loudness = RowLoudness(self._count, self._rate)
        self._face.reset()
        self.kind = kind

    def add(self, sound: Floats) -> None:
        self._meter.add(sound)
        if self.kind == "peak":
            return
        if not np.isfinite(sound).all():
            sound = np.nan_to_num(sound, nan=0.0, posinf=0.0, neginf=0.0)
        if self.kind == "true":
            self._true.add(sound)
        elif self.kind == "vu":
            self._vu.add(sound)
        else:
            self._loudness.add(sound)

    def show(self, at: float) -> Reading:
        """What is shown now; ``at`` is noted for rows that clipped since the last time."""
        got = self._meter.take()
        if self.kind == "true":
            # What lies below the falling peak would not be seen, so it is not looked for.
            high = self._true.peak > self._shown_floor
            got = replace(got, peak=np.where(high, np.maximum(got.peak, self._true.peak), got.peak))
        reading = self._face.show(got)
        self._shown_floor = (BELOW_SHOWN * 10.0 ** (reading.peak_dbfs / 20.0)).astype(np.float32)
        self._true.peak[:] = self._shown_floor
        fresh = reading.clips > self._clips
        self._clipped_at[fresh] = at
        self._clips = reading.clips
        if self.kind == "vu":
            needle = self._vu.dbfs()
            return replace(reading, peak_dbfs=needle, hold_dbfs=needle, rms_dbfs=needle)
        if self.kind == "loudness":
            momentary, short = self._loudness.lufs(MOMENTARY_S), self._loudness.lufs(SHORT_TERM_S)
            low = np.minimum(momentary, short)
            return replace(reading, peak_dbfs=momentary, hold_dbfs=momentary, rms_dbfs=low)
        return reading

    def note(self, reading: Reading, sample: int) -> None:
        """Up to which ring sample something was heard of each row."""
        if self._since is None:
            self._since = sample
            self._heard[:] = sample
        self._heard[reading.peak_dbfs > HEARD_DBFS] = sample
        self._alive[reading.peak_dbfs > ALIVE_DBFS] = sample
        self._loud[reading.peak_dbfs > LOUD_DBFS] = sample

    def dead_since(self, rows: Sequence[int], sample: int) -> bool:
        """Whether nothing at all came from any of these rows since a ring sample."""
        return bool((self._alive[list(rows)] < sample).all())

    def presence(self, sample: int, rows: int) -> list[tuple[int, bool, bool]]:
        """For each of the first ``rows``: for how many seconds nothing was heard, whether something loud was lately,
        and whether it clipped."""
        silent = (sample - self._heard[:rows]) // self._rate
        loud = sample - self._loud[:rows] < LATELY_S * self._rate
        clipped = self._clips[:rows] > 0
        return list(zip(silent.tolist(), loud.tolist(), clipped.tolist(), strict=True))

    def reset(self, rows: list[int] | None) -> None:
        which = slice(None) if rows is None else np.array([r for r in rows if 0 <= r < self._count], np.intp)
        self._meter.clips[which] = 0
        self._clips[which] = 0
        self._clipped_at[which] = 0.0
        self._face.reset(which)

    def as_sent(self, reading: Reading, windows: list[Window]) -> Meters:
        """As it travels: lists by source channel, levels in dB with one decimal."""
        n = len(windows)
        return {
            "peak": _list(reading.peak_dbfs[:n]), "hold": _list(reading.hold_dbfs[:n]),
            "rms": _list(reading.rms_dbfs[:n]), "max": _list(reading.max_dbfs[:n]),
            "crest": _list(np.maximum(reading.hold_dbfs - reading.rms_dbfs, 0.0)[:n]),
            "clips": reading.clips[:n].tolist(), "clipped_at": np.round(self._clipped_at[:n], 1).tolist(),
            "zone": zones(reading.hold_dbfs[:n], reading.clips[:n], windows),
        }

    def pair_as_sent(self, reading: Reading, channels: Sequence[int], window: Window) -> dict[str, Any]:
        """Several channels as one: by the louder side."""
        one = louder_side(reading, channels)
        crest = np.maximum(one.hold_dbfs - one.rms_dbfs, 0.0)
        levels = {
            "peak": one.peak_dbfs, "hold": one.hold_dbfs, "rms": one.rms_dbfs, "max": one.max_dbfs, "crest": crest,
        }
        return {
            **{name: _list(level)[0] for name, level in levels.items()}, "clips": int(one.clips[0]),
            "clipped_at": round(float(self._clipped_at[list(channels)].max()), 1),
            "zone": zones(one.hold_dbfs, one.clips, [window])[0],
        }

    def after(self, reading: Reading, plan: Plan) -> TrackMeters:
        """The same of every track behind its channel's fader, in the plan's order."""
        heard = [[c for c in t.inputs if c >= 0] for t in plan.tracks]
        louder = [max(channels, key=lambda c: reading.hold_dbfs[c], default=-1) for channels in heard]
        faders = np.array([t.fader_db for t in plan.tracks])

        def shifted(levels: NDArray[np.float64]) -> NDArray[np.float64]:
            return np.asarray(np.array([levels[c] if c >= 0 else -200.0 for c in louder]) + faders)

        hold = shifted(reading.hold_dbfs)
        clips = np.array([reading.clips[c] if c >= 0 else 0 for c in louder], np.int64)
        windows = [own_or_usual(t.window, plan.window) for t in plan.tracks]
        return {
            "ids": [t.id for t in plan.tracks], "peak": _list(shifted(reading.peak_dbfs)), "hold": _list(hold),
            "rms": _list(shifted(reading.rms_dbfs)), "max": _list(shifted(reading.max_dbfs)),
            "crest": _list(np.maximum(hold - shifted(reading.rms_dbfs), 0.0)), "clips": clips.tolist(),
            "clipped_at": [0.0] * len(louder), "zone": zones(hold, clips, windows),
        }


def _list(levels: NDArray[np.float64]) -> list[float]:
    return list(np.round(levels, 1).tolist())


