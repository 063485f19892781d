"""What an engine captures at the moment, and calling it off."""

from pathlib import Path

from cattailer.engine.block.runs import make_count, make_lead_in
from cattailer.engine.writing.recorder import Recorder
from tests.helpers.plans import LOOP, opened, plan_of, start


def test_called_off_in_the_middle_of_a_pump_nothing_is_left(tmp_path: Path) -> None:
    """The block path may call off between the lead-in's turn and the run's."""
    engine = start(plan_of(LOOP))
    out = tmp_path / "run-001"
    run = opened(engine, out)
    count = make_count(engine, 1)
    assert count is not None
    lead_in = make_lead_in(engine, run, count)
    recorder = Recorder()
    recorder.begin(run, lead_in, 0, count.lead, None)
    inner, turns = lead_in.pump, []

    def pump() -> None:
        inner()
        if not turns:
            recorder.call_off()
        turns.append(1)

    lead_in.pump = pump  # type: ignore[method-assign]
    for _ in range(3):
        recorder.pump()
    assert recorder.run is None
    assert not out.exists()
