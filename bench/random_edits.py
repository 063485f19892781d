"""Captures, edits, discards, Undo and Redo at random over HTTP, as quickly as pages send them, in a studio of its own.

After each, what is in use is written out and read by another program: away from joins it must be the plain sum of the
pieces, and wherever the history comes back to a state, it must sound to the bit as it did there before.

usage: python bench/random_edits.py [OPERATIONS [SEED]]
"""

import json
import random
import re
import sys
import time
import urllib.error
import urllib.parse
import urllib.request
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np
import soundfile
from common import tell
from numpy.typing import NDArray
from sqlalchemy import select
from tests.helpers.started import running_studio
from tests.helpers.studio import Studio

from cattailer.core.comps.comppiece import Pieces, numbered
from cattailer.core.comps.fades import SHAPES
from cattailer.core.takes.leadin import OPENINGS
from cattailer.engine.process.client import EngineClient
from cattailer.services.desk.desk import Desk
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.comps import pieces_in_use
from cattailer.services.sounding.takesounds import take_sounds
from cattailer.store.database import Database
from cattailer.store.kept import History
from cattailer.store.models import Run, Session, Take

Sound = NDArray[np.float64]
NEAR_S = 0.3
"""No seam and no slope reaches further."""
OVERS = ("keep", "keep", "only", "replace", "layer", "layer")


@dataclass
class Found:
    done: Counter[str] = field(default_factory=Counter)
    refused: Counter[str] = field(default_factory=Counter)
    faults: list[str] = field(default_factory=list)
    samples: int = 0
    worst: float = 0.0
    """Away from joins, in steps of 24 bit."""


class Player:
    """Presses, reads and listens. ``states`` are what was heard at each state of the history."""

    def __init__(self, studio: Studio, drawn: random.Random) -> None:
        self.studio, self.drawn, self.found = studio, drawn, Found()
        running = studio.home / "keys" / "running.json"
        _until(running.exists)  # it is written once the pages answer
        told = json.loads(running.read_text())
        self.desk = Desk(Database(told["database"]), EngineClient(""), studio.home / "media")
        self.press("/sessions", title=f"Random {drawn.random():.6f}")
        with self.desk.database.transaction() as db:
            self.session = db.scalars(select(Session.id).order_by(Session.id.desc())).first() or 0
        self.here = f"/s/{self.session}"
        for feed, pair, name in (("in:6", "", "Drum"), ("in:3", "true", "Strings")):
            self.press(f"{self.here}/patch/tracks", count=1, feed=feed, name=name, **({"pair": pair} if pair else {}))
        self.press(f"{self.here}/inputs/6/gain", gain_db=32)
        self.states: dict[tuple[int, ...], dict[str, Sound]] = {}
        self.files: dict[str, Sound] = {}
        self.doing = ""

    def press(self, path: str, **fields: object) -> str:
        """Its answer; a refusal is raised."""
        sent = urllib.parse.urlencode(fields).encode()
        with urllib.request.urlopen(f"{self.studio.url}{path}", sent, timeout=60) as answer:
            return str(answer.read().decode())

    def state(self) -> str:
        with urllib.request.urlopen(f"{self.studio.url}/api/1/state", timeout=60) as answer:
            return str(json.load(answer)["state"])

    def capture(self) -> None:
        """A second or two, armed, over whatever lies there; until it is entered and its files are checked, because
        only then what makes way for it does."""
        self.press(f"{self.here}/enter")
        self.press(f"{self.here}/tracks/arm", armed="true")
        self.press(f"{self.here}/capturing", name="over", value=self.drawn.choice(OVERS))
        self.press(f"{self.here}/locate", position=self.drawn.choice((0, 0, 24_000, 60_001, 96_000)))
        before = self.runs()
        self.press(f"{self.here}/timing/clicking", count_bars=self.drawn.choice((0, 0, 1)))
        self.press(f"{self.here}/capture")
        _until(lambda: self.state() == "capturing")
        time.sleep(self.drawn.uniform(0.7, 2.2))
        self.press(f"{self.here}/stop")
        _until(lambda: self.state() == "stopped")
        _until(lambda: self.runs()[0] > before[0] and not self.runs()[1])
        self.press(f"{self.here}/tracks/arm", armed="false")

    def runs(self) -> tuple[int, int]:
        """How many there are, and how many of them nobody checked yet."""
        with self.desk.database.transaction() as db:
            found = db.scalars(select(Run.verified).where(Run.session_id == self.session)).all()
        return len(found), found.count("")

    def done(self) -> tuple[int, ...]:
        """The state of the history: what is done of it, in order."""
        with self.desk.database.transaction() as db:
            mine = select(History.id).where(History.session_id == self.session, History.state.in_(("done", "fixed")))
            return tuple(db.scalars(mine.order_by(History.revision)))

    def undo(self, times: int) -> None:
        for _ in range(times):
            self.press(f"{self.here}/undo")

    def redo(self, times: int) -> None:
        for _ in range(times):
            self.press(f"{self.here}/redo")

    def edit(self) -> None:
        """Something that people do in Cut and join, on the comp sheet or in the bin."""
        drawn = self.drawn
        track, pieces = drawn.choice([*self.pieces().items()])
        if not pieces:
            self.doing = "nothing"
            return
        piece = drawn.choice(pieces)
        at = drawn.randrange(piece.start, piece.stop)
        of: dict[str, object] = {"track": track, "at": piece.start, "piece": piece.key}
        cut: dict[str, dict[str, object]] = {
            "split": {"track": track, "at": at},
            "move": {**of, "by": drawn.randrange(-30_000, 30_000)},
            "trim": {**of, "start": piece.start + drawn.randrange(-9_000, 9_000), "stop": piece.stop + drawn.randrange(-9_000, 9_000)},
            "gain": {**of, "gain_db": drawn.choice((-6, -0.1, 0, 0.1, 3))},
            "flip": of, "take-away": of,
            "fades": {**of, "fade_in_ms": drawn.choice((0, 5, 200)), "fade_in_shape": drawn.choice([*SHAPES]),
                      "fade_out_ms": drawn.choice((0, 5, 200)), "fade_out_shape": drawn.choice([*SHAPES])},
            "seam": {**of, "ms": drawn.choice(("", "0", "5", "90")), "shape": drawn.choice(("", *SHAPES))},
            "erase": {"track": track, "start": at, "stop": at + drawn.randrange(10, 20_000)},
            "tighten": {"track": track, "piece": piece.key, "percent": drawn.randrange(0, 101)}, "notes": {"track": track}, "room-tone": {"track": track},
        }
        other = ("choose", "discard", "fetch", "lead-in", "comps", "tempo")
        name = self.doing = drawn.choice((*cut, *cut, *other))
        if name in cut:
            self.press(f"{self.here}/takes/cut/{name}", **cut[name])
            return
        with self.desk.database.transaction() as db:
            takes = db.execute(select(Take.id, Take.number, Take.binned).where(Take.track_id == track)).all()
        take = drawn.choice(takes)
        path, fields = {
            "choose": ("takes/sheet/choose", {"take": take.id, "layered": drawn.choice(("true", "false"))}),
            "discard": ("takes/bin/discard", {"number": take.number}),
            "fetch": ("takes/bin/fetch", {"number": take.number}),
            "lead-in": (f"takes/{take.id}/lead-in", {"how": drawn.choice([*OPENINGS])}),
            "comps": ("takes/sheet/comps", {"track": track, "name": f"Comp {drawn.randrange(1000)}"}),
            "tempo": ("timing/tempo", {"bar": 1, "bpm": drawn.choice((90, 120, 97))}),
        }[name]
        self.press(f"{self.here}/{path}", **fields)

    def pieces(self) -> dict[int, Pieces]:
        with self.desk.database.transaction() as db:
            session = db.get_one(Session, self.session)
            return {t.id: numbered(pieces_in_use(session, t.id)) for t in session.tracks}

    def heard(self) -> dict[str, Sound]:
        """What is in use, by track, written out and read by another program; empty where nothing is."""
        try:
            self.press(f"{self.here}/takes/sheet/write")
        except urllib.error.HTTPError as why:
            if why.code == 409:
                return {}
            raise
        words = ""

        def ended() -> bool:
            nonlocal words
            with urllib.request.urlopen(f"{self.studio.url}{self.here}/takes/sheet/write", timeout=60) as answer:
                words = answer.read().decode()
            return "Writing," not in words

        _until(ended)
        where = re.search(r"files? in (\S+?)\. ", words)
        if where is None:
            raise ValueError(words)
        files = sorted(Path(where[1]).glob("*.wav"))
        out = {file.stem.rpartition("_")[2]: soundfile.read(file, dtype="float64", always_2d=True)[0].T for file in files}
        for file in files:
            file.unlink()
        files[0].parent.rmdir()
        return out

    def summed(self) -> dict[str, tuple[Sound, NDArray[np.bool_]]]:
        """By track: the plain sum of the pieces, from where files begin, and where no end of a piece is near."""
        with self.desk.database.transaction() as db:
            session = db.get_one(Session, self.session)
            rate, bar_1, used = session.rate_hz, tempo_of(session).sample_of(1), {}
            for track in session.tracks:
                pieces = pieces_in_use(session, track.id)
                takes = take_sounds(self.desk, session, {p.take for p in pieces})
                used[track.name] = [(p, s) for p in pieces if p.take in takes for s in takes[p.take].stretches]
        spans = [(max(p.start, p.moved + s.first), min(p.stop, p.moved + s.stop)) for each in used.values() for p, s in each]
        spans = [(start, stop) for start, stop in spans if start < stop]
        if not spans:
            return {}
        begins, ends, out = min(bar_1, *(s for s, _ in spans)), max(s for _, s in spans), {}
        for name, each in used.items():
            sound, clear = np.zeros((1 if name == "Drum" else 2, ends - begins)), np.ones(ends - begins, bool)
            for piece, of in each:
                start, stop = max(piece.start, piece.moved + of.first), min(piece.stop, piece.moved + of.stop)
                for edge in (piece.start, piece.stop, start, stop) if start < stop else ():
                    near = round(NEAR_S * rate)
                    clear[max(0, edge - begins - near) : max(0, edge - begins + near)] = False
                if start < stop:
                    first = of.offset + start - piece.moved - of.first
                    gain = 10 ** (piece.gain_db / 20) * (-1 if piece.flipped else 1)
                    sound[:, start - begins : stop - begins] += gain * self.file(of.path)[:, first : first + stop - start]
            out[name] = sound, clear
        return out

    def file(self, path: str) -> Sound:
        if path not in self.files:
            self.files[path] = soundfile.read(path, dtype="float64", always_2d=True)[0].T
        return self.files[path]

    def judge(self, after: str) -> None:
        """What sounds now, against the sum, and against what sounded at this state of the history before."""
        state, heard, faults = self.done(), self.heard(), self.found.faults
        for name, (sound, clear) in self.summed().items():
            got = heard.get(name, np.zeros_like(sound))
            if got.shape != sound.shape:
                faults.append(f"{after}: {name} is {got.shape} and not {sound.shape}")
                continue
            apart = float(np.abs(np.clip(sound, -1, 1) - got)[:, clear].max(initial=0.0)) * 2**23
            self.found.samples += int(clear.sum())
            self.found.worst = max(self.found.worst, apart)
            if apart > 2.0:
                faults.append(f"{after}: {name} is {apart:.1f} steps from the sum")
        before = self.states.setdefault(state, heard)
        alike = before.keys() == heard.keys() and all(np.array_equal(before[n], heard[n]) for n in heard)
        if not alike:
            faults.append(f"{after}: state of {len(state)} steps does not sound as it did")

    def turn(self) -> None:
        kind = self.doing = self.drawn.choices(("capture", "edit", "undo", "redo"), (1, 9, 1.5, 1))[0]
        try:
            if kind == "capture":
                self.capture()
            elif kind == "edit":
                self.edit()
            else:
                (self.undo if kind == "undo" else self.redo)(self.drawn.randrange(1, 6))
            self.found.done[self.doing] += 1
        except urllib.error.HTTPError as why:
            said = f"{self.doing}: {why.code} {why.read().decode()[:60]}"
            self.found.refused[said] += 1
            if why.code >= 500:
                self.found.faults.append(said)
        self.judge(self.doing)


def _until(what: Callable[[], bool]) -> None:
    until = time.monotonic() + 120
    while not what():
        if time.monotonic() > until:
            raise TimeoutError
        time.sleep(0.05)


def main() -> None:
    count, seed = (int(a) for a in (*sys.argv[1:], "200", "1")[:2])
    with running_studio() as studio:
        player = Player(studio, random.Random(seed))
        player.capture()
        for _ in range(count):
            player.turn()
        steps = 0
        for press in (player.undo, player.redo):  # down to the first step, and up again
            try:
                while True:
                    press(1)
                    steps += 1
                    player.judge(press.__name__)
            except urllib.error.HTTPError:
                continue
        found = player.found
    tell(
        operations=count, seed=seed, done=dict(found.done), refused=dict(found.refused), steps_down_and_up=steps,
        states=len(player.states), million_samples=round(found.samples / 1e6, 1),
        worst_steps_of_24_bit=round(found.worst, 2), faults=found.faults,
    )


if __name__ == "__main__":
    main()
