"""What an ear gets, of a session of the studio."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotFound, Refusal
from cattailer.media import wavfile
from cattailer.processes import hear, home
from cattailer.processes.doctor import no_engine
from cattailer.processes.postgres import Postgres
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, sessions
from cattailer.services.stages.listen import columns
from cattailer.store.database import Database
from tests.helpers.sessions import the_patch


@pytest.fixture
def studio(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """The home of a studio with two sessions; in "Duo" nobody hears the narrator."""
    monkeypatch.setenv("CATTAILER_HOME", str(tmp_path / "home"))
    kept = home.prepare()
    server = Postgres(kept.database, kept.logs / "postgres.log", durable=False)
    server.start()
    database = Database(server.url)
    database.migrate()
    desk = Desk(database, no_engine(), kept.media)
    demo.load(desk)
    duo = sessions.create_session(desk, "Duo", sessions.Hardware("marshgate-16"), "shipped-spoken")
    patch = the_patch(desk, duo)
    cue = next(m for m in patch.mixes if m.kind == "cue")
    columns.send(desk, duo, patch.tracks[0].key, cue.key, False)
    database.engine.dispose()
    server.stop()
    return tmp_path


def test_a_session_is_heard_as_it_stands(studio: Path) -> None:
    plan = hear.plan_of("Duo")
    assert [t.name for t in plan.tracks] == ["Host", "Guest"]
    assert (f"track:{plan.tracks[0].id}", f"mix:{plan.mixes[1].id}") not in plan.routes
    done = hear.hear(plan, "cue table", None, 1.0, studio / "cue.wav", True)
    assert (done.mix, done.samples, set(done.late)) == ("Cue table", 48_000, {"Host", "Guest"})
    sound = wavfile.read(wavfile.inspect(studio / "cue.wav"))
    assert sound.shape == (2, 48_000)
    one = hear.hear(plan, None, 3, 1.0, studio / "three.wav", True)
    assert one.mix == "output 3"
    assert np.array_equal(wavfile.read(wavfile.inspect(studio / "three.wav"))[0], sound[0])
    with pytest.raises(NotFound, match="no session called “Trio”"):
        hear.plan_of("Trio")
    for mix, output, why in ((None, None, "Say what to hear"), ("x", 1, "Say what"), (None, 99, "outputs 1 to 12")):
        with pytest.raises(Refusal, match=why):
            hear.hear(plan, mix, output, 1.0, studio / "no.wav", True)
    for seconds in (0.0, -1.0, 4000.0, float("nan")):
        with pytest.raises(Refusal, match="Seconds must be"):
            hear.hear(plan, None, 3, seconds, studio / "no.wav", True)
    assert not (studio / "no.wav").exists()


def test_while_the_studio_runs_its_session_is_its_own(studio: Path) -> None:
    claim = home.lock(home.prepare())
    with pytest.raises(Refusal):
        hear.plan_of("Duo")
    claim.close()
    assert hear.plan_of("Duo").title == "Duo"
