"""Takes looked at for the click, and what is said of those in which it is heard."""

import re
from datetime import UTC, datetime

import numpy as np
import pytest
import soundfile

from cattailer.core.sound.ticks import ticks_of
from cattailer.core.time.clicking import ClickSettings
from cattailer.services.desk.desk import Desk
from cattailer.services.running import leaks
from cattailer.services.session import demo
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of
from cattailer.services.stages.listen import show
from cattailer.store.models import Media, Run, Take
from tests.helpers.sessions import the_patch

pytestmark = pytest.mark.without_engine

pytestmark = pytest.mark.without_engine
RATE, SECONDS = 48_000, 14


def captured(desk: Desk, session: int, number: int, clicking: tuple[int, ...]) -> None:
    """A run of three tracks: noise, and in some of them a click of -50 dBFS."""
    tracks = [the_patch(desk, session).tracks[n] for n in (2, 3, 7)]
    with desk.database.transaction() as db:
        row = get_session(db, session)
        folder, settings, waves = desk.media / row.folder, ClickSettings(), ticks_of(ClickSettings(), RATE)
        (folder / "run").mkdir(parents=True, exist_ok=True)
        run = Run(uuid=f"u{number}", session_id=session, number=number, start=0, samples=SECONDS * RATE, rate_hz=RATE,
                  began_at=datetime(2026, 5, 4, tzinfo=UTC), dropouts=[])
        db.add(run)
        for track in tracks:
            sound = np.random.default_rng(track.id).standard_normal(SECONDS * RATE) * 1e-4
            for tick in settings.ticks(tempo_of(row), 0, (SECONDS - 1) * RATE) if track.id in clicking else ():
                wave = waves[tick.kind] * 10 ** (-50 / 20) / np.abs(waves[0]).max()
                sound[tick.sample + 30 : tick.sample + 30 + len(wave)] += wave
            path = f"run/{number}-{track.id}.wav"
            soundfile.write(folder / path, sound, RATE, subtype="PCM_24")
            media = Media(session_id=session, path=path, channels=1, bits=24, rate_hz=RATE, samples=len(sound), crc32="0")
            db.add(media)
            db.flush()
            db.add(Take(track_id=track.id, run=run, media=media, number=number, start=0, samples=len(sound), peak_dbfs=-50.0, clips=0))


def test_the_take_is_named_until_a_better_one_lies_there(desk: Desk) -> None:
    session = demo.load(desk)
    narrator, pickup = the_patch(desk, session).tracks[7], the_patch(desk, session).tracks[3]
    captured(desk, session, 1, (narrator.id, pickup.id))
    with desk.database.transaction() as db:
        get_session(db, session).click = True
    looked = []
    while (take := leaks.look_at_one(desk)) is not None:
        looked.append(take)
    assert len(looked) == 3, "each once"
    (found,) = [f for f in show.show(desk, session).findings if f.key.startswith("leaks:")]
    assert re.fullmatch(
        r"The click leaks into Narrator, take 1, with peaks of −5[01] dBFS. Turn it down in Cue narrator, or take closed "
        r"headphones", found.text,
    ), "a pickup by wire hears no headphones"
    captured(desk, session, 2, ())
    while leaks.look_at_one(desk) is not None:
        pass
    assert not [f for f in show.show(desk, session).findings if f.key.startswith("leaks:")]
