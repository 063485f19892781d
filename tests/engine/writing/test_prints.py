"""Tracks that print: what is captured is what ears get behind the effects, also while they are moved."""

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.mix.effects import Compressor, Effects, Equaliser
from cattailer.core.mix.listening import Listen
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.block.engine import Engine
from cattailer.engine.effects.strips import Strips
from cattailer.engine.runs.making import make_run
from cattailer.media import journal, wavfile
from tests.helpers.plans import LATE, Nobody, plan_of

RATE = 48_000
STRIP = Effects(Equaliser(cut_hz=80.0, one_hz=900.0, one_db=6.0), Compressor(threshold_db=-30.0, ratio=4.0, makeup_db=5.0))


def plan_with(effects: Effects, period: int = 128, pieces: tuple[Piece, ...] = ()) -> Plan:
    """A is heard at the point Effects in the cue mix, and so is captured; B is dry."""
    track = TrackPlan(1, "A", (0,), True, effects=effects, prints=True, listen=Listen(point="effects"))
    plan = plan_of(track, TrackPlan(2, "B", (0,), True), period=period)
    return replace(plan, mixes=(MixPlan(1, "Main", (0, 1), 0.0), MixPlan(2, "Cue", (2, 3), 0.0, False)),
                   routes=(("track:1", "mix:2"),), pieces=pieces, bits=32)


def header_of(plan: Plan) -> journal.RunHeader:
    files = tuple(journal.RunFile(t.id, t.name, f"{t.name}.wav", 1, t.inputs, prints=t.prints) for t in plan.tracks)
    return journal.RunHeader("u", 1, 1, "T", RATE, 32, 0, "2026-05-04T14:02:31+00:00", files)


def captured(
    out: Path, plan: Plan, changes: dict[int, Callable[[Plan], Plan]], at_once: Plan | None = None,
    begins: int = RATE, long: int = 4 * RATE, back: int = 0,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, Engine]:
    """(A as heard, A captured, B captured), by sample of the run, of a noise. It begins at the block of a sample, or so
    many samples before that, kept after the fact."""
    engine = Engine(Nobody(plan), plan)
    noise = np.random.default_rng(3).uniform(-0.1, 0.1, (1, long)).astype(np.float32)
    noise *= 10.0 ** np.random.default_rng(4).uniform(-2, 0.5, long // 4000 + 1).repeat(4000)[:long].astype(np.float32)
    period, heard = plan.period, []
    outputs = np.zeros((plan.outputs, period), np.float32)
    run = make_run(engine, out, "run", header_of(plan))
    if at_once is not None:
        engine.soon(engine.set_plan(at_once))
    first = begins // period * period - back if back else begins // period * period + engine.late_samples
    for at in range(0, long - period + 1, period):
        inputs = np.zeros((plan.inputs, period), np.float32)
        inputs[0] = noise[0, at : at + period]
        if at == begins // period * period:
            engine.soon(lambda: engine.keep_run(run, first, long - 2 * period) if back else engine.begin_run(run))
        for moment, change in changes.items():
            if at <= moment < at + period:
                engine.soon(engine.set_plan(change(engine.plan)))
        engine.process(inputs, outputs, at, 0)
        heard.append(outputs[2].copy())
        if at // period % 3 == 0:
            engine.pump()
    engine.stop()
    while not run.done:
        engine.process(np.zeros((plan.inputs, period), np.float32), outputs, 0, 0)
        engine.pump()
    files_read = [wavfile.read(wavfile.inspect(out / f"{name}.wav"))[0] for name in ("A", "B")]
    sound = np.concatenate(heard)[first + LATE : first + LATE + len(files_read[0])]
    return sound, files_read[0][: len(sound)], files_read[1][: len(sound)], engine


STRIPS = [
    STRIP, replace(STRIP, dyn=replace(STRIP.dyn, makeup_db=0.0, threshold_db=-20.0)), Effects(replace(STRIP.eq, high_db=9.0), None),
    Effects(None, Compressor(threshold_db=-40.0, ratio=8.0, attack_ms=200.0, release_ms=2000.0, detector_hz=120.0)),
]


@settings(max_examples=12)
@given(
    st.sampled_from([32, 37, 128, 441, 1024]), st.integers(3000, RATE), st.integers(0, 15_000), st.integers(0, 3),
    st.lists(st.tuples(st.integers(0, 2 * RATE), st.integers(0, 3)), max_size=4),
)
def test_what_is_printed_is_what_is_heard_to_the_bit(
    period: int, begins: int, back: int, first: int, moves: list[tuple[int, int]]
) -> None:
    changes = {at: lambda _, n=n: plan_with(STRIPS[n], period) for at, n in moves}
    with TemporaryDirectory() as folder:
        heard, printed, dry, _ = captured(
            Path(folder) / "run", plan_with(STRIPS[first], period), changes, begins=begins, long=2 * RATE, back=min(back, begins // 2)
        )
        assert np.array_equal(heard, printed * np.float32(np.sqrt(0.5)))
        assert np.abs(printed - dry).max() > 0.01, "the effects do something"
        story = journal.read(Path(folder) / "run" / f"run{journal.SUFFIX}")
    assert [f.prints for f in story.header.files] == [True, False]


def test_what_was_moved_between_getting_ready_and_beginning_counts(tmp_path: Path) -> None:
    heard, printed, _, _ = captured(tmp_path / "run", plan_with(Effects(Equaliser(one_db=12.0))), {}, plan_with(STRIP))
    assert np.array_equal(heard, printed * np.float32(np.sqrt(0.5)))


def test_what_is_remembered_does_not_grow_with_edits() -> None:
    """While tracks print, and once none does any more."""
    plan = plan_with(STRIP)
    engine = Engine(Nobody(plan), plan)
    inputs, outputs = np.zeros((plan.inputs, 128), np.float32), np.zeros((plan.outputs, 128), np.float32)
    for n in range(200):
        prints = n < 100
        tracks = (replace(plan.tracks[0], fader_db=-0.1 * n, prints=prints), *plan.tracks[1:])
        engine.soon(engine.set_plan(replace(plan, tracks=tracks)))
        engine.process(inputs, outputs, 128 * n, 0)
        engine.write()
    assert len(engine.prints._moves) <= 1


def test_effects_that_fail_leave_the_sound_itself(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    real, calls = Strips.process, []

    def failing(self: Strips, block: np.ndarray) -> None:
        calls.append(1)
        if len(calls) > 1000 and self.inserts[0].key == "1":
            raise ValueError("no")
        real(self, block)

    monkeypatch.setattr(Strips, "process", failing)
    _, printed, dry, engine = captured(tmp_path / "run", plan_with(STRIP), {})
    assert np.array_equal(printed[-RATE:], dry[-RATE:])
    said = [e["message"] for e in engine.events if e["topic"] == "event" and e["kind"] == "effect"]
    assert said == ["The effects of A failed, so that track is captured without them from here on."]


def test_printed_takes_do_not_go_through_the_effects_again(tmp_path: Path) -> None:
    _, printed, _, _ = captured(tmp_path / "run", plan_with(STRIP), {})
    with_effects = Piece(1, 1, str(tmp_path / "run" / "A.wav"), 0, RATE, 0, True)
    without = Piece(2, 1, str(tmp_path / "run" / "B.wav"), RATE, RATE, RATE)

    def played(*pieces: Piece) -> np.ndarray:
        plan = plan_with(STRIP, pieces=pieces)
        engine = Engine(Nobody(plan), plan)
        engine.read_ahead()
        engine.soon(engine.roll)
        outputs, got = np.zeros((plan.outputs, 128), np.float32), []
        for _ in range(2 * RATE // 128):
            engine.process(np.zeros((plan.inputs, 128), np.float32), outputs, 0, 0)
            engine.read_ahead()
            got.append(outputs[2].copy())
        return np.concatenate(got)[LATE:] * np.sqrt(2.0)

    both = played(with_effects, without)
    inner = slice(2000, RATE - 2000)
    assert np.abs(both[inner] - printed[inner]).max() < 1e-5, "as it was captured"
    later = slice(RATE + 24_000, 2 * RATE - 2000)
    assert np.abs(both[later] - printed[later]).max() < 1e-3, "the dry take goes through the effects"
    plain = played(replace(with_effects, printed=False))
    assert np.abs(plain[inner] - printed[inner]).max() > 0.05
