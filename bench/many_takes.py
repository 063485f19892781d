"""A session of 32 tracks with 200 takes each: an edit, a capture's beginning, pages and fragments.

usage: python bench/many_takes.py [TIMES [TAKES]]     (with a database and an engine of its own)
"""

import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))  # for the tests' helpers

import numpy as np
from common import spread, tell, timed
from tests.helpers.desks import open_desk
from tests.helpers.queries import queries

from cattailer.media import bwf
from cattailer.processes.postgres import Postgres
from cattailer.services.desk.desk import Desk
from cattailer.services.running import runs
from cattailer.services.session import demo, opening, tracks
from cattailer.services.session.editing import count_on, takes_changed
from cattailer.store.database import Database
from cattailer.store.models import Media, Run, Session, Take
from cattailer.web.app import create_app

TRACKS = 32
PRESSED = {"HX-Request": "true"}


def fill(desk: Desk, takes: int) -> int:
    """The demo with more tracks, and a pile of takes on each, as songs have them: over one another, verse by verse."""
    session_id = demo.load(desk)
    tracks.add_tracks(desk, session_id, tracks.Wanted(TRACKS - 10))
    with desk.database.transaction() as db:
        session = db.get_one(Session, session_id)
        folder = desk.media / session.folder
        folder.mkdir(parents=True, exist_ok=True)
        origin = bwf.Origin("Bench", "Track", 0, datetime.now(UTC))
        writer = bwf.BwfWriter(folder / "take.wav", bwf.Format(48000, 1, 24), origin)
        writer.write((np.random.default_rng(1).standard_normal((1, 480_000)) * 0.1).astype(np.float32))
        writer.close()
        ids = [t.id for t in session.tracks]
        for number in range(1, takes + 1):
            start = (number % 20) * 480_000
            run = Run(
                uuid=f"bench-{number}", session_id=session_id, number=number, start=start, samples=480_000,
                rate_hz=48_000, began_at=datetime.now(UTC), dropouts=[],
            )
            for track in ids:
                media = Media(
                    session_id=session_id, path="take.wav", channels=1, bits=24, rate_hz=48_000, samples=480_000,
                    crc32="0",
                )
                run.takes.append(Take(
                    track_id=track, media=media, number=number, start=start, samples=480_000, peak_dbfs=-9.0, clips=0,
                ))
            db.add(run)
        db.flush()
        count_on(db, session)
        takes_changed(session)
    return session_id


def main() -> None:
    times = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    takes = int(sys.argv[2]) if len(sys.argv) > 2 else 200
    with tempfile.TemporaryDirectory() as home:
        server = Postgres(Path(home) / "db", Path(home) / "postgres.log")
        server.start()
        database = Database(server.url)
        database.migrate()
        with open_desk(database, Path(home)) as desk:
            session = fill(desk, takes)
            opening.open_session(desk, session)
            client = create_app(desk).test_client()
            ids = [int(part.split('"')[0]) for part in client.get(f"/s/{session}/capture").text.split('data-track="')[1:]]

            def get(path: str) -> None:
                assert client.get(path).status_code == 200, path

            def edit(n: int) -> None:
                answer = client.post(f"/s/{session}/tracks/{ids[n % TRACKS]}/name", data={"name": f"N{n}"}, headers=PRESSED)
                assert answer.status_code == 204, answer.text

            began: list[float] = []

            def capture(_: int) -> None:
                before = time.perf_counter()
                answer = client.post(f"/s/{session}/capture", headers=PRESSED)
                began.append(1000 * (time.perf_counter() - before))
                assert answer.status_code == 204, answer.text
                time.sleep(0.3)
                client.post(f"/s/{session}/stop", headers=PRESSED)
                while desk.engine_state().state != "stopped" or not runs.enter_finished(desk):
                    time.sleep(0.02)

            edits = timed(times, edit)
            with queries(desk.database) as sent:
                edit(0)
            pages = {p: timed(times, lambda _, p=p: get(f"/s/{session}/{p}")) for p in ("capture", "takes/")}  # type: ignore[misc]
            parts = {
                p: timed(times, lambda _, p=p: get(f"/s/{session}/{p}"))  # type: ignore[misc]
                for p in ("capture/rows", "capture/lanes?at=480000&columns=700", "takes/rows")
            }
            client.post(f"/s/{session}/tracks/arm", data={"armed": "true"}, headers=PRESSED)
            for n in range(max(5, times // 3)):
                capture(n)
        database.engine.dispose()
        server.stop()
    tell(
        what=f"{TRACKS} tracks of {takes} takes, milliseconds", edit=edits, queries_of_an_edit=len(sent),
        capture_begins=spread(began), pages=pages, fragments=parts,
    )


if __name__ == "__main__":
    main()
