"""A busy computer, and players who hear themselves late: seeded, documented, and seen in what is captured."""

from cattailer.services.session import demo
from tests.helpers.plans import plan_of, run_for, start


def test_dropouts_of_a_busy_computer_reach_the_engine() -> None:
    """Counted, with place, length and load; the timeline goes on as if nothing had been lost."""
    engine = start(plan_of(*demo.plan(False).tracks, click=False, period=128))
    engine.driver.command("busy", {"mood": "very"})
    engine.soon(engine.roll)
    run_for(engine, 20 * 48_000)
    assert engine.dropouts == len(engine.drops) > 2
    assert engine.transport.position == engine.sample
    for drop in engine.drops:
        assert (drop.state, drop.period, drop.samples % 128) == ("rolling", 128, 0)
        assert 0.0 < drop.load < 20.0
