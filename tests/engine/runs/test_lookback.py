"""What was just heard can be kept after the fact, in its place, beside whatever goes on."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from cattailer.core.errors import NotNow
from cattailer.core.plan import TrackPlan
from cattailer.engine.block.engine import Engine
from cattailer.engine.runs import lookback
from cattailer.engine.runs.making import make_lead_in, make_run
from cattailer.engine.writing.runwriter import RunWriter
from cattailer.media import journal, wavfile
from tests.helpers.plans import Nobody, plan_of

RATE = 48_000


class Played:
    """An engine whose first input counts: the sample of the interface, scaled."""

    def __init__(self, period: int = 128) -> None:
        plan = replace(plan_of(TrackPlan(1, "A", (0,), True), TrackPlan(2, "B", (1, 2), True), period=period), bits=32)
        self.engine, self.period = Engine(Nobody(plan), plan), period
        self.outputs = np.zeros((plan.outputs, period), np.float32)

    def play(self, seconds: float, lost: int = 0) -> None:
        for _ in range(round(seconds * RATE / self.period)):
            at = self.engine.sample + lost
            inputs = np.zeros((self.engine.plan.inputs, self.period), np.float32)
            inputs[0] = sound_at(at, self.period)
            self.engine.process(inputs, self.outputs, at, lost)
            self.engine.pump()
            lost = 0

    def header(self, number: int) -> journal.RunHeader:
        files = (journal.RunFile(1, "A", f"A{number}.wav", 1, (0,)), journal.RunFile(2, "B", f"B{number}.wav", 2, (1, 2)))
        return journal.RunHeader(f"u{number}", number, 1, "T", RATE, 32, 0, "2026-05-04T14:02:31+00:00", files)

    def keep(self, out: Path, number: int = 9) -> tuple[RunWriter, np.ndarray]:
        what = lookback.held(self.engine)
        run = make_run(self.engine, out / f"kept{number}", "run", replace(self.header(number), start=what.start))
        before = make_lead_in(self.engine, run, what.lead) if what.lead else None
        lookback.keep(self.engine, run, before, what)
        self.finish(run)
        return run, wavfile.read(wavfile.inspect(out / f"kept{number}" / f"A{number}.wav"))[0]

    def finish(self, run: RunWriter) -> None:
        while not run.done:
            self.play(0.05)


def sound_at(sample: int, count: int) -> np.ndarray:
    return (np.arange(sample, sample + count) / (1 << 24)).astype(np.float32)


def test_while_it_stands_still_it_is_kept_at_the_playhead(tmp_path: Path) -> None:
    played = Played()
    with pytest.raises(NotNow, match="just now"):
        lookback.held(played.engine)
    played.play(3.0)
    played.engine.transport.locate(12_345, RATE)
    written = played.engine.sample
    run, sound = played.keep(tmp_path)
    assert (run.header.start, len(sound)) == (12_345, written)
    assert np.array_equal(sound, sound_at(0, written)), "every sample from the first on"


@pytest.mark.parametrize("period", [32, 1024])
def test_where_it_rolled_it_lies_as_a_capture_would(tmp_path: Path, period: int) -> None:
    played = Played(period)
    played.play(1.0)
    run = make_run(played.engine, tmp_path / "run", "run", played.header(1))
    played.engine.soon(lambda: played.engine.begin_run(run))
    played.play(2.0)
    rolling, during = played.keep(tmp_path, 5)
    played.engine.stop()
    played.finish(run)
    played.play(0.7)
    kept, after = played.keep(tmp_path, 6)
    captured = wavfile.read(wavfile.inspect(tmp_path / "run" / "A1.wav"))[0]
    for header, sound in ((rolling.header, during), (kept.header, after)):
        assert header.start == 0, "what came before bar 1 lies before it"
        both = min(len(sound), len(captured))
        assert both > RATE
        assert np.array_equal(sound[:both], captured[:both]), "sample for sample"
    assert len(after) > len(captured), "what was played after the stop too"
    before = wavfile.read(wavfile.inspect(tmp_path / "kept6" / "head" / "A6.wav"))[0]
    assert np.array_equal(before, sound_at(0, len(before))), "and what was played before bar 1, as what is counted in"
    assert np.array_equal(after, sound_at(len(before), len(after)))


def test_passes_of_a_loop_are_not_lost(tmp_path: Path) -> None:
    played = Played()
    played.engine.soon(played.engine.set_plan(replace(played.engine.plan, loop=(0, 24_000))))
    played.play(0.1)
    played.engine.soon(played.engine.roll)
    played.play(3.4)
    written = played.engine.sample
    run, sound = played.keep(tmp_path)
    before = wavfile.read(wavfile.inspect(tmp_path / "kept9" / "head" / "A9.wav"))[0]
    assert run.header.start == 0
    assert np.array_equal(np.concatenate([before, sound]), sound_at(0, written)), "every sample of every pass"


def test_a_dropout_in_it_is_marked_and_a_capture_goes_on(tmp_path: Path) -> None:
    played = Played()
    played.play(1.0)
    hole = played.engine.sample
    played.play(1.0, lost=640)
    kept, sound = played.keep(tmp_path)
    assert [(d.offset, d.samples) for d in kept.dropouts] == [(hole, 640)]
    assert not sound[hole : hole + 640].any()
    run = make_run(played.engine, tmp_path / "run", "run", played.header(1))
    played.engine.soon(lambda: played.engine.begin_run(run))
    played.play(0.5)
    played.keep(tmp_path, 10)
    assert played.engine.run is run, "what is captured goes on"
    played.engine.stop()
    played.finish(run)
    assert run.dropouts == []
    with pytest.raises(NotNow, match="too long ago"):
        lookback.keep(played.engine, kept, None, lookback.Held(-1, 5, 0))
