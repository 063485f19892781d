"""What is wrong here? Each rule looks at one row (or at all) and says what, why, and what cures it."""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from cattailer.core.advice.hum import Humming
from cattailer.core.findings import Cure, Finding
from cattailer.core.gear.interface import Profile
from cattailer.core.gear.levels import closeness_db, loading_corner_hz, loading_loss_db
from cattailer.core.patch.ends import socket_end
from cattailer.core.patch.patch import PatchInput
from cattailer.core.sound.rowsound import RowSound

MICROPHONES = ("condenser", "dynamic", "ribbon")
SILENT_DBFS, DEAD_DBFS = -75.0, -100.0
LOUD_DBFS = -45.0
MUCH_GAIN_DB = 20.0
PICKUP_OHM, PICKUP_HENRY, MIC_INPUT_OHM = 8_000.0, 3.0, 2_400.0
"""A usual magnetic pickup, and a usual microphone input."""

CLOSE_M = 0.3
LITTLE_SNR_DB = 35.0
LIMIT_KNEE_DBFS = -6.0


@dataclass(frozen=True)
class Row:
    """A socket as it is listed, set and heard. ``others_play`` when other rows had signal meanwhile;
    ``voice`` when somebody speaks or sings there."""

    input: PatchInput
    profile: Profile
    sound: RowSound
    others_play: bool = True
    voice: bool = False

    @property
    def name(self) -> str:
        return self.input.name or f"Socket {self.input.socket}"

    @property
    def key(self) -> str:
        return socket_end(self.input.socket)


Rule = Callable[[Row], Iterator[Finding]]


def look(rows: list[Row], same: list[tuple[int, int]] | None = None, humming: Humming | None = None) -> list[Finding]:
    """All that is wrong, the gravest first. ``same`` are places in ``rows`` that carry one signal, and ``humming``
    tells of those places."""
    found = [finding for row in rows for rule in RULES for finding in rule(row)]
    found += hums(rows, humming) if humming else []
    for a, b in same or []:
        found.append(_find("same", rows[b], f"carries the same signal as {rows[a].name}: one cable, two sockets?"))
    return sorted(found, key=lambda f: f.kind != "stop")


def _find(key: str, row: Row, text: str, cure: Cure | None = None, kind: str = "look") -> Finding:
    return Finding(kind, f"{row.name} {text}", f"level:{key}:{row.input.socket}", row.key, cure)


def _switch(words: str, row: Row, switch: str, on: bool) -> Cure:
    arguments = (("socket", str(row.input.socket)), ("switch", switch), ("on", "true" if on else "false"))
    return Cure(words, "switch", arguments)


def _gain(words: str, row: Row, by_db: float) -> Cure:
    gain = min(row.profile.gain_max_db, max(row.profile.gain_min_db, row.input.gain_db + by_db))
    return Cure(words, "gain", (("socket", str(row.input.socket)), ("gain_db", f"{gain:g}")))


def no_power(row: Row) -> Iterator[Finding]:
    """Silence with a condenser and no 48 V."""
    if row.input.pickup == "condenser" and not row.input.phantom and row.sound.peak_dbfs < SILENT_DBFS:
        socket = row.profile.socket(row.input.socket)
        if socket.has("phantom"):
            cure = _switch("48 V on", row, "phantom", True)
            yield _find("power", row, "is silent: a condenser needs 48 V", cure, "stop")
        else:
            yield _find("power", row, "is silent: a condenser needs 48 V, which this socket lacks", kind="stop")


def ribbon_power(row: Row) -> Iterator[Finding]:
    if row.input.pickup == "ribbon" and row.input.phantom:
        yield _find("ribbon", row, "is a ribbon with 48 V on, which can destroy it",
                    _switch("48 V off", row, "phantom", False), "stop")


def line_in_microphone_socket(row: Row) -> Iterator[Finding]:
    preamp = row.profile.socket(row.input.socket).preamp
    if row.input.pickup == "line" and preamp and row.input.gain_db > MUCH_GAIN_DB:
        text = f"is at line level, and {row.input.gain_db:+g} dB of microphone gain is far too much"
        yield _find("line", row, text, _gain("gain to the least", row, -200.0))


def microphone_in_line_socket(row: Row) -> Iterator[Finding]:
    if row.input.pickup in MICROPHONES and not row.profile.socket(row.input.socket).preamp:
        text = "is a microphone in a line socket, some 50 dB too quiet: plug it into one with a preamp"
        yield _find("mic", row, text)


def high_impedance(row: Row) -> Iterator[Finding]:
    """A pickup without the instrument switch: the loss and the dull top are worked out."""
    if row.input.pickup == "instrument" and not row.input.instrument:
        loss = loading_loss_db(PICKUP_OHM, MIC_INPUT_OHM)
        corner = loading_corner_hz(PICKUP_HENRY, PICKUP_OHM, MIC_INPUT_OHM)
        text = f"is loaded down: about {loss:.0f} dB quieter and dull above {round(corner, -1):.0f} Hz"
        if row.profile.socket(row.input.socket).has("instrument"):
            yield _find("load", row, text, _switch("instrument switch on", row, "instrument", True))
        else:
            yield _find("load", row, f"{text}. This socket has no instrument switch: use another, or a DI")


def gain_at_its_end(row: Row) -> Iterator[Finding]:
    if not row.profile.socket(row.input.socket).preamp or not row.input.used:
        return
    if row.input.gain_db >= row.profile.gain_max_db - 3.0 and row.sound.peak_dbfs < -24.0:
        text = "is quiet with the gain near its end: move the microphone closer, or use another pick-up"
        yield _find("end", row, text)
    low = row.input.gain_db <= row.profile.gain_min_db + 3.0
    if low and row.sound.peak_dbfs > -6.0 and row.input.pickup in MICROPHONES:
        cure = None
        if not row.input.pad and row.profile.socket(row.input.socket).has("pad"):
            cure = _switch("pad in", row, "pad", True)
        yield _find("end", row, "is loud with the gain near its least: pad, or move the microphone away", cure)


def clips(row: Row) -> Iterator[Finding]:
    if row.sound.clips:
        text = f"clipped {row.sound.clips}×: that part is distorted for good"
        yield _find("clip", row, text, _gain("gain down 6 dB", row, -6.0), "stop")


def clips_before_converter(row: Row) -> Iterator[Finding]:
    """Crests lie flat although the meter reads below full scale: something before it overloads."""
    sound = row.sound
    if sound.flat_tops >= 6 and sound.peak_dbfs < -1.0 and not _limits(row):
        pad = not row.input.pad and row.profile.socket(row.input.socket).has("pad")
        cure = _switch("pad in", row, "pad", True) if pad else None
        text = f"clips before the converter: crests lie flat at {_dbfs(sound.flat_dbfs)}. Less gain does not help"
        yield _find("early", row, text, cure, "stop")


def _limits(row: Row) -> bool:
    return row.input.soft_limit and row.sound.peak_dbfs > LIMIT_KNEE_DBFS


def limits_all_the_time(row: Row) -> Iterator[Finding]:
    if _limits(row) and row.sound.loud_dbfs > LIMIT_KNEE_DBFS - 7.0:
        yield _find("limit", row, "works the soft limit all the time: it is squashed for good",
                    _gain("gain down 6 dB", row, -6.0))


def little_above_noise(row: Row) -> Iterator[Finding]:
    """Only while the row plays alone: otherwise what fills its gaps are the others."""
    loud, floor = row.sound.loud_dbfs, row.sound.floor_dbfs
    snr = loud - floor
    if not row.others_play and loud > -50.0 and floor > -60.0 and 12.0 < snr < LITTLE_SNR_DB:
        yield _find("snr", row, f"stands only {snr:.0f} dB above its noise ({_dbfs(row.sound.floor_dbfs)})")


def hums(rows: list[Row], humming: Humming) -> list[Finding]:
    mains = " or ".join(map(str, humming.mains_hz))
    advice = "another cable, away from mains, or lift the ground at the DI"
    return [_find("hum", rows[n], f"hums at {mains} Hz, {_dbfs(level)}: {advice}") for n, level in humming.dbfs.items()]


def offset(row: Row) -> Iterator[Finding]:
    if abs(row.sound.dc) > 0.002:
        text = f"carries DC, {100 * row.sound.dc:+.1f} % of full scale: it costs headroom and clicks at edits"
        cut = row.profile.socket(row.input.socket).has("low_cut") and not row.input.low_cut
        yield _find("dc", row, text, _switch("low cut on", row, "low_cut", True) if cut else None)


def dead(row: Row) -> Iterator[Finding]:
    """Something is plugged, others play, and there is not even noise."""
    powered = row.input.pickup != "condenser" or row.input.phantom
    if row.input.used and row.others_play and powered and row.sound.peak_dbfs < DEAD_DBFS:
        yield _find("dead", row, "is dead: no signal, not even noise. Cable, plug, or the wrong socket", kind="stop")


def breath(row: Row) -> Iterator[Finding]:
    if row.voice and row.sound.bursts >= 2:
        cut = row.profile.socket(row.input.socket).has("low_cut") and not row.input.low_cut
        cure = _switch("low cut on", row, "low_cut", True) if cut else None
        yield _find("breath", row, "has bursts of breath below 80 Hz: low cut, a screen, or 10 cm back", cure)


def closeness(row: Row) -> Iterator[Finding]:
    """A directional microphone so close that the bass builds up."""
    distance = metres(row.input.distance)
    if not row.voice or distance is None or distance >= CLOSE_M or row.input.low_cut:
        return
    low, middle = row.sound.band_dbfs(80.0, 200.0), row.sound.band_dbfs(300.0, 3000.0)
    if row.sound.rms_dbfs > -50.0 and low > middle:
        more = closeness_db(distance, 100.0)
        text = f"is bass-heavy from closeness: about {more:.0f} dB at 100 Hz from {row.input.distance}"
        has = row.profile.socket(row.input.socket).has("low_cut")
        yield _find("close", row, text, _switch("low cut on", row, "low_cut", True) if has else None)


RULES: tuple[Rule, ...] = (
    no_power, ribbon_power, clips, clips_before_converter, dead, line_in_microphone_socket, microphone_in_line_socket,
    high_impedance, gain_at_its_end, limits_all_the_time, little_above_noise, offset, breath, closeness,
)


def metres(text: str) -> float | None:
    """A distance as people note it: "20 cm", "3 m", "0,5 m"."""
    found = re.search(r"(\d+(?:[.,]\d+)?)\s*(cm|m)\b", text)
    if not found:
        return None
    value = float(found[1].replace(",", "."))
    return value / 100.0 if found[2] == "cm" else value


def same_signals(block: "np.typing.NDArray[np.float32]", least: float = 0.9999) -> list[tuple[int, int]]:
    """Pairs of rows that carry one signal, up to its level and polarity; shape (rows, samples)."""
    centred = block - block.mean(axis=1, keepdims=True)
    power = np.sqrt(np.vecdot(centred, centred))
    alive = np.flatnonzero(power > 1e-3 * np.sqrt(block.shape[1]))
    if len(alive) < 2:
        return []
    unit = centred[alive] / power[alive, None]
    like = np.abs(unit @ unit.T)
    firsts, seconds = np.nonzero(np.triu(like > least, 1))
    return [(int(alive[a]), int(alive[b])) for a, b in zip(firsts, seconds, strict=True)]


def _dbfs(value: float) -> str:
    return f"{value:.0f} dBFS".replace("-", "−")
