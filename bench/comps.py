"""Comps: playing many pieces, and what a choice, a mark, a trim and the sheet cost in a session of many takes.

usage: python bench/comps.py play [SECONDS] | pages [TIMES [TAKES]]
"""

import resource
import sys
import tempfile
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parents[1]))  # for the tests' helpers

import numpy as np
from common import tell, timed
from flask.testing import FlaskClient
from many_takes import PRESSED, fill
from tests.helpers.desks import open_desk

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.sounding import Stretch, TakeSound, sound_of
from cattailer.core.plan import Plan, TrackPlan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.block.engine import Engine
from cattailer.engine.sources import playback
from cattailer.liveroom.clock import VirtualClock
from cattailer.media import bwf
from cattailer.processes.interfaces import open_live_room
from cattailer.processes.postgres import Postgres
from cattailer.services.session import demo, opening
from cattailer.services.stages.takes import phrasing
from cattailer.store.database import Database
from cattailer.store.models import Session, Take
from cattailer.web.app import create_app

TRACKS, PIECES, PERIOD, RATE = 64, 40, 64, 48_000


def comp_plan(folder: Path) -> Plan:
    """64 tracks of 40 pieces each, out of four takes a track, with a crossfade at every seam."""
    long = 60 * RATE
    noise = (np.random.default_rng(1).standard_normal((1, long)) * 0.05).astype(np.float32)
    tracks, pieces = [], list[Piece]()
    for n in range(1, TRACKS + 1):
        takes = {}
        for take in range(4):
            path = folder / f"{n}-{take}.wav"
            writer = bwf.BwfWriter(path, bwf.Format(RATE, 1, 24), bwf.Origin("Bench", "", 0, datetime.now(UTC)))
            writer.write(np.roll(noise, 977 * n + 1000 * take))
            writer.close()
            takes[take] = TakeSound(take, (Stretch(0, long, str(path), 0),))
        step = long // PIECES
        comp = tuple(CompPiece(k % 4, k * step, step, k * step, -1.0 * (k % 3)) for k in range(PIECES))
        pieces += sound_of(n, comp, takes, RATE)
        tracks.append(TrackPlan(n, f"T{n}", (0,), False, -20.0))
    routes = tuple((f"track:{t.id}", "mix:1") for t in tracks)
    base = demo.plan(False, RATE, PERIOD)
    return Plan(**{
        **base.__dict__, "tracks": tuple(tracks), "pieces": tuple(pieces), "routes": routes, "groups": (), "returns": (),
        "cells": (), "mixes": base.mixes[:1], "click": False, "takes_revision": 2,
    })


def play(seconds: float) -> dict[str, object]:
    """At the wall's pace: the block path asks every 64 samples, a thread reads ahead."""
    with tempfile.TemporaryDirectory() as folder:
        plan = comp_plan(Path(folder))
        engine = Engine(open_live_room(plan, VirtualClock()), plan)
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        going, worst = True, 0.0

        def reading() -> None:
            while going:
                engine.read_ahead()
                time.sleep(0.05)

        engine.read_ahead()
        thread = threading.Thread(target=reading, daemon=True)
        thread.start()
        sound, began = engine._prepared.playback, time.monotonic()
        blocks = int(seconds * RATE / PERIOD)
        for n in range(blocks):
            due = began + n * PERIOD / RATE
            while (now := time.monotonic()) < due:
                time.sleep(min(0.001, due - now))
            engine.transport.position = n * PERIOD
            began_s = time.perf_counter()
            sound.block(n * PERIOD, PERIOD)
            worst = max(worst, time.perf_counter() - began_s)
        going = False
        thread.join()
        held = sum(page.nbytes for page in sound._pages.values())
        return {
            "what": f"{TRACKS} tracks of {PIECES} pieces at {PERIOD} samples", "seconds": seconds, "late": sound.late,
            "ahead_s": playback.AHEAD_S, "pages_mb": round(held / 1e6, 1), "worst_lookup_ms": round(worst * 1e3, 2),
            "memory_grew_mb": round((resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024, 1),
        }


def pages(times: int, takes: int) -> dict[str, object]:
    """The way of every request, in this process."""
    with tempfile.TemporaryDirectory() as home:
        server = Postgres(Path(home) / "db", Path(home) / "postgres.log")
        server.start()
        database = Database(server.url)
        database.migrate()
        with open_desk(database, Path(home)) as desk:
            session = fill(desk, takes)
            opening.open_session(desk, session)
            client = create_app(desk).test_client()
            with database.transaction() as db:
                first = db.query(Take).order_by(Take.id).first()
                assert first is not None
                track = first.track_id
                own = [t.id for t in db.query(Take).where(Take.track_id == track).order_by(Take.number.desc()).limit(12)]
                starts = {t.id: t.start for t in db.query(Take).where(Take.track_id == track)}
                # Takes of the same place: each choice changes what is heard.
                rivals = [i for i, start in starts.items() if start == starts[own[0]]]
            for n in range(PIECES):
                phrasing.draw(desk, session, *(f"{s // 60}:{s % 60:02d}" for s in (5 * n, 5 * n + 5)))
            with database.transaction() as db:
                spans = {p.start: p.id for p in phrasing.phrases_of(db, db.get_one(Session, session))}

            def post(path: str, **data: object) -> None:
                answer = client.post(f"/s/{session}/takes/{path}", data=data, headers=PRESSED)
                assert answer.status_code == 204, answer.text[:300]

            def get(path: str) -> None:
                answer = client.get(f"/s/{session}/takes/{path}")
                assert answer.status_code == 200, answer.text[:300]

            def phrase_of(take: int) -> int:
                return next(i for start, i in spans.items() if start <= starts[take] + 1000 < start + 5 * RATE)

            post("sheet/choose", take=own[0], phrase=phrase_of(own[0]))
            starts_at = _start(client, session, track)
            shapes = {
                "choice": lambda n: post("sheet/choose", take=rivals[n % len(rivals)], phrase=phrase_of(own[0])),
                "mark": lambda n: post("sheet/rate", take=own[n % 12], phrase=phrase_of(own[n % 12]), rating="good"),
                "trim": lambda n: post("cut/trim", track=track, at=starts_at, start=starts_at,
                                       stop=starts_at + 96_000 + 4800 * (n % 9)),
                "gain": lambda n: post("cut/gain", track=track, at=starts_at, gain_db=-(n % 9)),
                "sheet": lambda _: get(f"sheet/?track={track}"),
                "sheet_rows": lambda _: get(f"sheet/rows?track={track}"),
                "sheet_waves": lambda _: get(f"sheet/waves?takes={','.join(map(str, own))}&columns=48"),
                "wave_of_all": lambda _: get(f"cut/wave?track={track}&start=0&stop={200 * RATE}&columns=1200"),
                "wave_by_layer": lambda _: get(f"cut/wave?track={track}&start=0&stop={200 * RATE}&columns=1200&by_layer=true"),
                "wave_of_a_second": lambda _: get(f"cut/wave?track={track}&start=0&stop={RATE}&columns=1200"),
                "wave_of_samples": lambda _: get(f"cut/wave?track={track}&start=1000&stop=1200&columns=200"),
            }
            found = {name: timed(times, do) for name, do in shapes.items()}
        server.stop()
    return {"what": f"{takes * 32} takes, 12 on the sheet by 40 phrases", "ms": found}


def _start(client: FlaskClient, session: int, track: int) -> int:
    text = client.get(f"/s/{session}/takes/cut/rows?track={track}").text
    return int(text.split('data-start="')[1].split('"')[0])


def main() -> None:
    way, *rest = sys.argv[1:] or ["pages"]
    if way == "play":
        tell(**play(float(rest[0]) if rest else 60.0))
    else:
        tell(**pages(int(rest[0]) if rest else 15, int(rest[1]) if len(rest) > 1 else 157))


if __name__ == "__main__":
    main()
