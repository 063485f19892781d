"""What an engine captures at the moment, and calling it off."""

from pathlib import Path

import pytest

from cattailer.engine.runs.making import make_count, make_lead_in
from cattailer.engine.writing.recorder import Recorder
from tests.helpers.plans import LOOP, opened, plan_of, start


@pytest.mark.parametrize("last", ["run", "lead-in"])
def test_called_off_in_the_middle_of_a_pump_nothing_is_left(tmp_path: Path, last: str) -> None:
    """The block path may call off between the lead-in's turn and the run's, so either may be the last to go."""
    engine = start(plan_of(LOOP))
    out = tmp_path / "run-001"
    run = opened(engine, out)
    count = make_count(engine, 1)
    assert count is not None
    lead_in = make_lead_in(engine, run, count.lead)
    recorder = Recorder()
    recorder.ready(run, lead_in)
    recorder.begin(run, count.lead, None)
    if last == "lead-in":
        run.call_off()
        recorder.sync()
    inner, turns = lead_in.write, []

    def write() -> None:
        inner()
        if not turns:
            recorder.finish(0)
        turns.append(1)

    lead_in.write = write  # type: ignore[method-assign]
    for _ in range(3):
        recorder.pump()
    assert recorder.run is None
    assert not recorder.busy
    assert not out.exists()


def test_a_run_that_is_closed_at_this_moment_does_not_stop_the_block_path() -> None:
    """While the block path goes through the runs, the thread that closes takes one away."""
    recorder = Recorder()

    class Closing:
        behind = 0

        @property
        def ended(self) -> bool:
            if len(recorder._kept) > 1:
                recorder._kept.popleft()
            return True

        def finish(self, _: int) -> None:
            assert self.ended

    class Kept:
        run = Closing()

    for ask in (lambda: recorder.lost(0, 128, 0.5), lambda: recorder.waiting, lambda: recorder.finish_all(5)):
        recorder._kept.clear()
        recorder._kept.extend([Kept(), Kept(), Kept()])  # type: ignore[list-item]
        ask()
