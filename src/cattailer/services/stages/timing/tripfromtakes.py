"""The round trip from two takes that are there already: what was played, and what came back."""

from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select

from cattailer.core.errors import NotFound, Refusal
from cattailer.core.sound import probe
from cattailer.core.sound.align import SILENT, SURE, WHITENING, Offset, agreement, find_offset, loudest
from cattailer.core.sound.probe import Measured
from cattailer.core.units import decibels
from cattailer.media import wavfile
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.session.reading import get_session, get_take
from cattailer.services.session.rows import measured_correction
from cattailer.services.stages.timing.roundtrip import REACH, Result, curve, heights
from cattailer.store.measured import RoundTrip
from cattailer.store.models import Run, Take, Track

Floats = NDArray[np.float32]
WAY = "takes"
LEAST_S, MOST_S, PARTS = 1.0, 40.0, 5
REACH_S, AGREE_SAMPLES = 0.25, 2.0
MOST_CHOICES = 200
NO_FIT = "These two takes do not fit one another, so nothing can be said. Was the one really heard in the other?"


@dataclass(frozen=True)
class TakeChoice:
    id: int
    words: str


def choices(desk: Desk, session_id: int) -> list[TakeChoice]:
    """The newest takes of a session, the newest first."""
    query = select(Take.id, Track.name, Take.number).join(Track, Track.id == Take.track_id)
    query = query.where(Track.session_id == session_id).order_by(Take.id.desc()).limit(MOST_CHOICES)
    with desk.database.transaction() as db:
        return [TakeChoice(i, f"{name}, take {number}") for i, name, number in db.execute(query)]


def measure(desk: Desk, session_id: int, played_id: int, returned_id: int) -> Result:
    """Compares where they overlap, in up to five parts. Kept like any other measurement, for the rate and buffer at
    which the second take was captured.

    Raises NotFound and Refusal for takes that cannot be compared; what the sound explains is in the result, in words.
    """
    if played_id == returned_id:
        raise Refusal("Choose two takes: the one that was played, and the one that it came back on.")
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        played, returned = (get_take(db, session_id, i) for i in (played_id, returned_id))
        run: Run = returned.run
        if played.media.rate_hz != returned.media.rate_hz:
            raise Refusal("These takes were captured at different sample rates, so their samples cannot be compared.")
        if not run.period:
            raise Refusal("It is not known with which buffer that take was captured. Capture it again, then compare.")
        rate, folder = run.rate_hz, folder_of(desk, session)
        one, other = _overlap(folder, played, returned, rate)
        found = agreement(_offsets(one, other, rate), AGREE_SAMPLES)
        level = decibels(float(np.abs(other).max(initial=0.0)))
        result = Result(
            Measured(NO_FIT, level_dbfs=level), 0, 0, 0, WAY, run.claimed_samples, 0, None,
            heights(one), heights(other), [], 0,
        )
        if found.confidence < SURE:
            return result
        late = found.samples
        measured = Measured(
            "", run.round_trip_samples + late, found.spread, found.inverted, found.confidence, level,
        )
        row = RoundTrip(
            interface=session.interface, rate_hz=rate, period=run.period, way=WAY, measured_samples=measured.samples,
            spread_samples=measured.spread, confidence=measured.confidence, inverted=measured.inverted,
            claimed_samples=run.claimed_samples,
        )
        db.add(row)
        db.flush()
        in_use = measured_correction(session)
        same_hardware = (rate, run.period) == (session.rate_hz, session.period)
        margin = abs(round(late)) + REACH
        fits = curve(one[margin:-margin], other, margin + round(late) - REACH, 2 * REACH + 1)
        lands = None
        if same_hardware and in_use is not None:
            lands = probe.lands(measured.samples, run.claimed_samples, in_use)
        return replace(
            result, measured=measured, id=row.id, curve=fits,
            curve_from=run.round_trip_samples + round(late) - REACH,
            correction=probe.correction(measured.samples, run.claimed_samples),
            lands=lands,
        )


def _overlap(folder: Path, played: Take, returned: Take, rate_hz: int) -> tuple[Floats, Floats]:
    """Both takes over the stretch of the timeline that they share."""
    start = max(played.start, returned.start)
    stop = min(played.start + played.samples, returned.start + returned.samples, start + int(MOST_S * rate_hz))
    if stop - start < LEAST_S * rate_hz:
        raise Refusal("These takes share less than a second of the timeline, so there is too little to compare.")
    one, other = (_loudest(folder / t.media.path, start - t.start, stop - start) for t in (played, returned))
    return one, other


def _loudest(path: Path, at: int, count: int) -> Floats:
    try:
        sound = wavfile.read(wavfile.inspect(path), at, count)
    except (OSError, wavfile.NotAWave) as why:
        raise NotFound(f"The file {path.name} cannot be read, so nothing was compared.") from why
    best = loudest(sound)
    if float(np.abs(best).max(initial=0.0)) < SILENT:
        raise Refusal(f"{path.name} is silent where the two takes overlap, so there is nothing to compare.")
    return best


def _offsets(one: Floats, other: Floats, rate_hz: int) -> list[Offset]:
    parts = max(1, min(PARTS, int(len(one) / (2.0 * rate_hz))))
    reach = int(REACH_S * rate_hz)
    return [
        find_offset(a, b, reach, WHITENING)
        for a, b in zip(np.array_split(one, parts), np.array_split(other, parts), strict=True)
    ]
