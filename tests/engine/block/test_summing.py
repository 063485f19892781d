"""Every mix is the sum that is written down independently, whatever the plan."""

from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cattailer.core.mix.cells import Cell
from cattailer.core.mix.effects import Effects, Equaliser
from cattailer.core.mix.listening import POINTS, WHENS, Listen
from cattailer.core.plan import GroupPlan, MixPlan, Plan, ReturnPlan, TrackPlan
from cattailer.core.takes.pieces import Piece
from cattailer.engine.block.engine import Engine
from cattailer.media import bwf
from tests.helpers.plans import LATE, ORIGIN, Nobody, plan_of
from tests.helpers.summed import Summed

PERIOD, BLOCKS = 64, 12
QUIET = 10 ** (-110 / 20)
levels, pans = st.sampled_from([0.0, -3.0, -11.5, 4.0]), st.sampled_from([-1.0, -0.3, 0.0, 0.8])
strips = st.sampled_from([
    Effects(), Effects(), Effects(Equaliser(cut_hz=80, low_db=4, one_db=-6, two_db=3)), Effects(Equaliser(high_db=-5)),
])


@st.composite
def plans(draw: Any) -> Plan:
    def listens() -> Listen:
        return Listen("through", draw(st.sampled_from(WHENS)), draw(st.sampled_from(POINTS)))

    tracks = []
    for n in range(draw(st.integers(1, 4))):
        inputs = (2 * n, 2 * n + 1) if draw(st.booleans()) else (2 * n,)
        tracks.append(TrackPlan(
            n + 1, f"T{n}", inputs, draw(st.booleans()), draw(levels), draw(pans), muted=draw(st.booleans()),
            soloed=draw(st.integers(0, 4)) == 0, listen=listens(), live_db=draw(levels), playback_db=draw(levels),
            effects=draw(strips), width_percent=draw(st.sampled_from([0.0, 60.0, 100.0])), balance_db=draw(levels),
        ))
    groups = tuple(
        GroupPlan(n + 1, f"G{n}", draw(levels), draw(st.integers(0, 3)) == 0, draw(st.booleans()), draw(strips))
        for n in range(draw(st.integers(0, 2)))
    )
    returns = tuple(ReturnPlan(n + 1, f"R{n}", draw(levels), effects=draw(strips)) for n in range(draw(st.integers(0, 2))))
    own = draw(st.sets(st.integers(1, 4)))
    mixes = (MixPlan(1, "Main", (0, 1), -6.0), *(
        MixPlan(n, f"Cue {n}", (), draw(levels), draw(st.booleans()), tuple(own), draw(st.sampled_from([0.0, 6.0])))
        for n in range(2, draw(st.integers(2, 4)))
    ))
    ends = [*(f"track:{t.id}" for t in tracks), *(f"group:{g.id}" for g in groups), *(f"return:{r.id}" for r in returns)]
    ways = [(a, b) for n, a in enumerate(ends) for b in [*ends[max(n + 1, len(tracks)):], *(f"mix:{m.id}" for m in mixes)]]
    routes = draw(st.lists(st.sampled_from(ways), unique=True, max_size=16))
    cells = []
    for start, target in routes:
        if draw(st.booleans()):
            wish = listens() if draw(st.booleans()) and start.startswith("track") and target.startswith("mix") else None
            into_mix = target.startswith("mix")
            cells.append(Cell(
                start, target, draw(levels), draw(st.none() | pans) if into_mix else None, draw(st.integers(0, 4)) == 0,
                "", wish.when if wish else "", wish.point if wish else "",
            ))
    return replace(plan_of(*tracks, period=PERIOD), groups=groups, returns=returns, mixes=mixes, routes=tuple(routes),
                   cells=tuple(cells))


def run(plan: Plan, inputs: np.ndarray, rolling: bool) -> list[np.ndarray]:
    engine = Engine(Nobody(plan), plan)
    engine.pump()
    if rolling:
        engine.transport.roll()
    outputs = np.zeros((plan.outputs, PERIOD), np.float32)
    inputs = np.pad(inputs, ((0, 0), (0, PERIOD * -(-LATE // PERIOD))))
    for at in range(0, inputs.shape[1], PERIOD):
        engine.process(inputs[:, at : at + PERIOD], outputs, at, 0)
    made = [engine.mix_of(n, LATE, inputs.shape[1] - PERIOD * -(-LATE // PERIOD) + LATE) for n in range(len(plan.mixes))]
    assert all(m is not None for m in made)
    return made  # type: ignore[return-value]


@settings(max_examples=80, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(plans(), st.booleans())
def test_mixes_are_the_sums_along_all_ways(plan: Plan, rolling: bool) -> None:
    rng = np.random.default_rng(3)
    inputs = (rng.standard_normal((plan.inputs, PERIOD * BLOCKS)) * 0.004).astype(np.float32)
    live = [inputs[list(t.inputs)].astype(float) for t in plan.tracks]
    nothing = [np.zeros_like(x) for x in live]
    wanted = Summed(plan, "rolling" if rolling else "stopped", live, nothing, [False] * len(live))
    for n, got in enumerate(run(plan, inputs, rolling)):
        assert np.abs(got - wanted.mix(n)).max() < QUIET, plan.mixes[n]


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(st.data())
def test_takes_and_live_inputs_give_way_to_each_other(tmp_path_factory: Any, data: st.DataObject) -> None:
    """Rolling over a take that ends in the middle: before and after, away from the glide between, the sums are those
    written down."""
    folder = tmp_path_factory.mktemp("takes")
    # Filters remember how a take faded in and gave way, so there are none here.
    plan = data.draw(plans())
    plan = replace(plan, tracks=tuple(replace(t, effects=Effects()) for t in plan.tracks),
                   groups=tuple(replace(g, effects=Effects()) for g in plan.groups),
                   returns=tuple(replace(r, effects=Effects()) for r in plan.returns))
    rng = np.random.default_rng(5)
    samples, ends = PERIOD * 160, PERIOD * 80 + 17
    pieces, taken = [], []
    for track in plan.tracks:
        played = data.draw(st.booleans())
        sound = (rng.standard_normal((len(track.inputs), ends)) * 0.004).astype(np.float32)
        if played:
            path = folder / f"{track.id}.wav"
            writer = bwf.BwfWriter(path, bwf.Format(48000, len(track.inputs), 32), ORIGIN)
            writer.write(sound)
            writer.close()
            pieces.append(Piece(track.id, track.id, str(path), 0, ends, 0))
        taken.append(np.pad(sound.astype(float) * played, ((0, 0), (0, samples - ends))))
    plan = replace(plan, pieces=tuple(pieces))
    inputs = (rng.standard_normal((plan.inputs, samples)) * 0.004).astype(np.float32)
    live = [inputs[list(t.inputs)].astype(float) for t in plan.tracks]
    with_takes = {p.track for p in pieces}
    got = run(plan, inputs, True)
    for lies, part in ((True, slice(200, ends - 200)), (False, slice(ends + 3000, samples))):
        there = [lies and t.id in with_takes for t in plan.tracks]
        wanted = Summed(plan, "rolling", live, taken, there)
        for n, mix in enumerate(got):
            assert np.abs(mix - wanted.mix(n))[:, part].max() < QUIET, (lies, plan.mixes[n])
