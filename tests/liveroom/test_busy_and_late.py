"""A busy computer, and players who hear themselves late: seeded, documented, and seen in what is captured."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.liveroom import lateness
from cattailer.liveroom.busy import MOODS, BusyComputer
from cattailer.services.session import demo
from tests.helpers.plans import plan_of, run_for, start

SECONDS = 600


def lost_in(period: int, mood: str, seed: int = 3) -> list[int]:
    busy = BusyComputer(mood, seed, 48_000, 0)
    found = [busy.lost(sample, period) for sample in range(0, SECONDS * 48_000, period)]
    return [n for n in found if n]


@pytest.mark.parametrize("mood", ["a little", "very"])
def test_larger_buffers_hold_more(mood: str) -> None:
    counts = [len(lost_in(period, mood)) for period in (32, 128, 512, 2048)]
    assert counts == sorted(counts, reverse=True)
    assert counts[0] > 2 * counts[2]
    assert all(n % 128 == 0 for n in lost_in(128, mood))
    assert lost_in(128, mood) == lost_in(128, mood)
    assert lost_in(128, mood, 4) != lost_in(128, mood)


def test_nothing_is_lost_when_it_is_off() -> None:
    assert lost_in(32, "off") == []
    assert set(MOODS) == {"off", "a little", "very"}


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


def test_the_model_of_lateness() -> None:
    assert (lateness.drag_ms(8.0), lateness.scatter_ms(8.0)) == (0.0, 6.0)
    assert lateness.drag_ms(28.0) == pytest.approx(7.0)
    assert lateness.scatter_ms(28.0) == pytest.approx(12.0)
    assert (lateness.drag_ms(1e6), lateness.scatter_ms(1e6)) == (30.0, 24.0)


def onsets(tmp_path: Path, period: int, heard: bool = True) -> np.ndarray:
    """How many ms after its beat each low note of the drum is captured, over 40 s."""
    drum = next(t for t in demo.plan(True).tracks if t.name == "Frame drum")
    routes = ((f"track:{drum.id}", "mix:1"),) if heard else ()
    plan = plan_of(drum, click=False, period=period, routes=routes)
    engine = start(plan)
    for name in engine.driver.place.players:  # type: ignore[attr-defined]
        engine.driver.command("ask", {"player": name, "mode": "follow" if name == "frame drum" else "rest"})
    run_for(engine, 48_000)
    out = []
    for _ in range(2):
        began = engine.sample
        engine.soon(engine.roll)
        run_for(engine, 19 * 48_000)
        sound = engine.ring.read(began + engine.round_trip_samples, engine.sample)
        assert sound is not None
        loud = np.abs(sound[5])
        for beat in plan.tempo.beats_between(0, 18 * 48_000):
            if beat.beat != 1 or beat.sample < 3000:
                continue
            near = loud[beat.sample - 3000 : beat.sample + 6000]
            if near.max() > 0.3 * loud.max():
                out.append((int(np.argmax(near > 0.25 * near.max())) - 3000) / 48.0)
        engine.soon(engine.stop)
        run_for(engine, 4800)
    return np.array(out)


def test_a_poor_choice_of_buffer_shows_in_the_takes(tmp_path: Path) -> None:
    """With 1024 samples players hear themselves 44 ms late: they drag by 12.7 ms and scatter three times as much."""
    good, poor = onsets(tmp_path, 128), onsets(tmp_path, 1024)
    drag = float(np.median(poor) - np.median(good))
    assert drag == pytest.approx(lateness.drag_ms(44.25), abs=6.0)
    assert poor.std() > 1.6 * good.std()
    direct = onsets(tmp_path, 1024, heard=False)
    assert abs(float(np.median(direct) - np.median(good))) < 4.0, "who is not heard through the engine plays as usual"
