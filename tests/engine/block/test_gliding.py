"""Nothing steps, nothing is silent that should sound, and no block does more than its share."""

import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.sounding import Stretch, TakeSound, sound_of
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.core.sound.curves import gliding
from cattailer.core.takes.pieces import Piece
from cattailer.core.time.clicking import ClickSettings
from cattailer.core.time.timeline import TempoMap
from cattailer.engine.block.engine import Engine
from cattailer.media import bwf
from tests.helpers.plans import LATE, ORIGIN, Nobody, plan_of, run_for, start

HZ = 200.0
STEEPEST = float(np.diff(gliding(48000)).max())
"""The largest step of a gain from 0 to 1."""
OWN_STEP = 2 * np.pi * HZ / 48000 * 0.25
"""The largest step of a sine of 200 Hz at 0.25."""


def take(folder: Path, seconds: float = 20.0) -> str:
    path = folder / "sine.wav"
    writer = bwf.BwfWriter(path, bwf.Format(48000, 1, 32), ORIGIN)
    t = np.arange(round(seconds * 48000))
    writer.write((0.25 * np.sin(2 * np.pi * HZ * t / 48000)).astype(np.float32)[None])
    writer.close()
    return str(path)


def steady(plan: Plan, level: float = 0.25) -> Engine:
    """An engine whose third input is a steady level, so that any change of gain is seen as it is."""
    engine = start(plan)
    process = engine.process

    def held(inputs: np.ndarray, outputs: np.ndarray, sample: int, lost: int) -> Any:
        inputs[:] = 0.0
        inputs[2] = level
        return process(inputs, outputs, sample, lost)

    engine.process = held  # type: ignore[method-assign]
    return engine


def heard(engine: Engine, since: int) -> np.ndarray:
    mix = engine.mix_of(0, since + LATE, engine.sample)
    assert mix is not None
    return mix


@pytest.mark.parametrize("period", [32, 128, 1024])
def test_a_fader_glides_along_a_curve_of_50_ms_whatever_the_period(period: int) -> None:
    track = TrackPlan(1, "A", (2,), True, 0.0, -1.0)
    engine = steady(plan_of(track, period=period, main_db=0.0))
    run_for(engine, 4096)
    engine.soon(engine.set_plan(plan_of(replace(track, fader_db=-20.0), period=period, main_db=0.0)))
    began = engine.sample
    run_for(engine, 4096)
    left = heard(engine, began)[0]
    curve = np.concatenate([gliding(48000), np.ones(len(left) - 2400)])
    assert np.abs(left - (0.25 + curve * (0.025 - 0.25))).max() < 1e-6


@settings(max_examples=30)
@given(st.lists(st.tuples(st.integers(1, 20), st.sampled_from(["fader", "pan", "mute", "roll", "stop", "mix"])), max_size=12))
def test_changes_that_overlap_never_step(changes: list[tuple[int, str]]) -> None:
    track = TrackPlan(1, "A", (2,), True, 0.0, -1.0)
    plan = plan_of(track, main_db=0.0)
    engine = Engine(Nobody(plan), plan)
    inputs, outputs = np.zeros((plan.inputs, 128), np.float32), np.zeros((plan.outputs, 128), np.float32)
    inputs[2] = 0.25
    mixes: list[np.ndarray] = []

    def blocks(count: int) -> None:
        for _ in range(count):
            engine.process(inputs, outputs, engine.sample, 0)
            mixes.append(engine.mix_of(0, engine.sample - 128, engine.sample))  # type: ignore[arg-type]

    blocks(2)
    for n, (count, what) in enumerate(changes):
        if what == "fader":
            plan = replace(plan, tracks=(replace(plan.tracks[0], fader_db=-3.0 * (n % 5)),))
        elif what == "pan":
            plan = replace(plan, tracks=(replace(plan.tracks[0], pan=-1.0 + (n % 3)),))
        elif what == "mute":
            plan = replace(plan, tracks=(replace(plan.tracks[0], fader_db=-200.0),))
        elif what == "mix":
            plan = replace(plan, mixes=(*plan.mixes, MixPlan(50 + n, f"Cue {n}", ()))[:12])
        if what in ("roll", "stop"):
            engine.soon(engine.roll if what == "roll" else engine.stop)
        else:
            engine.soon(engine.set_plan(plan))
        blocks(count)
    blocks(30)
    steepest = STEEPEST * 0.25
    heard = np.concatenate(mixes, axis=1)[:, LATE:]
    assert np.abs(np.diff(heard)).max() <= 4.1 * steepest, "four changes may overlap, each as steep as one"


@pytest.mark.parametrize("what", ["stop", "jump", "edit", "loop", "mute"])
def test_takes_never_step(tmp_path: Path, what: str) -> None:
    """At roll, stop and jump, where pieces border, where a loop goes round, and under edits while it rolls."""
    path = take(tmp_path)
    track = TrackPlan(1, "A", (0,), False, 0.0, -1.0)
    comp, lies = (CompPiece(1, 0, 30_011, 0), CompPiece(2, 30_011, 300_000, 777)), (Stretch(0, 900_000, path, 0),)
    pieces = tuple(sound_of(1, comp, {n: TakeSound(n, lies) for n in (1, 2)}, 48_000))
    loop = (5_003, 45_017) if what == "loop" else None
    plan = plan_of(track, main_db=0.0, pieces=pieces, loop=loop)
    engine = steady(plan, 0.0)
    engine.pump()
    run_for(engine, 256)
    began = engine.sample
    engine.soon(engine.roll)
    run_for(engine, 60_000)
    if what == "stop":
        engine.soon(engine.stop)
    elif what == "jump":
        engine._going_to = [100_007]
        engine.read_ahead()
        engine.soon(lambda: engine.transport.locate(100_007, 48000))
    elif what == "edit":
        moved = (*pieces[:1], replace(pieces[1], offset=1234))
        engine.soon(engine.set_plan(replace(plan, pieces=moved, takes_revision=1)))
    elif what == "mute":
        phantom = tuple(not p for p in plan.preamps.phantom)
        engine.soon(engine.set_plan(replace(plan, preamps=replace(plan.preamps, phantom=phantom))))
    run_for(engine, 60_000)
    left = heard(engine, began)[0]
    fading = 0.25 * np.pi / 2 / 96
    assert np.abs(np.diff(left)).max() < OWN_STEP + 2 * fading
    assert np.abs(left[-20_000:]).max() > 0.2 or what in ("stop", "mute")
    assert engine._prepared.playback.late == 0


def test_playback_has_no_holes(tmp_path: Path) -> None:
    """After loop, stop and roll; after a jump to any place; at an edit near a loop's end; for a file that was put back."""
    path = take(tmp_path)
    track = TrackPlan(1, "A", (0,), False, 0.0, -1.0)
    pieces = (Piece(1, 1, path, 0, 900_000, 0),)
    plan = plan_of(track, main_db=0.0, pieces=pieces, loop=(400_000, 420_000), click=True)
    engine = steady(plan, 0.0)
    engine.pump()

    def sounds(samples: int) -> bool:
        """Whether every stretch of 10 ms of what was rolled just now has sound in it."""
        began = engine.sample
        run_for(engine, samples)
        left = heard(engine, began)[0, 480:]
        return bool((np.abs(left[: len(left) // 480 * 480].reshape(-1, 480)).max(axis=1) > 0.05).all())

    engine.transport.locate(400_000, 48000)
    engine.read_ahead()
    engine.soon(engine.roll)
    assert sounds(150_000)
    engine.soon(engine.stop)
    run_for(engine, 128)
    engine.soon(engine.roll)
    assert sounds(150_000)
    for place in (10_000, 700_001, 405_000, 16_384 * 7 - 1):
        engine._going_to = [place]
        engine.read_ahead()
        engine.soon(lambda place=place: engine.transport.locate(place, 48000))
        assert sounds(5_000)
    engine._going_to = []
    engine.soon(lambda: engine.transport.locate(419_500, 48000))
    run_for(engine, 128)
    engine.soon(engine.set_plan(replace(plan, pieces=(replace(pieces[0], samples=899_000),), takes_revision=1)))
    assert sounds(150_000)
    assert engine._prepared.playback.late == 0
    Path(path).rename(tmp_path / "away.wav")
    engine._prepared.playback._pages.clear()
    run_for(engine, 100_000)
    assert engine.missing == [path]
    (tmp_path / "away.wav").rename(path)
    engine._prepared.playback._looked_at = -1e9
    run_for(engine, 24_000)
    assert engine.missing == []
    assert sounds(30_000)


def calls_in_blocks(engine: Engine, samples: int) -> int:
    """The most calls of functions, Python's and others', that any block makes."""
    worst = 0
    process = engine.process

    def counted(inputs: np.ndarray, outputs: np.ndarray, sample: int, lost: int) -> Any:
        nonlocal worst
        count = 0

        def note(_frame: object, event: str, _argument: object) -> None:
            nonlocal count
            count += event in ("call", "c_call")

        sys.setprofile(note)
        try:
            return process(inputs, outputs, sample, lost)
        finally:
            sys.setprofile(None)
            worst = max(worst, count)

    engine.process = counted  # type: ignore[method-assign]
    run_for(engine, samples)
    engine.process = process  # type: ignore[method-assign]
    return worst


MOST_CALLS = 500
"""In any block, whatever goes on; a quiet one makes about sixty. What does not depend on the session's size is bounded."""


@pytest.mark.parametrize("period", [32, 1024])
def test_no_block_does_more_than_its_share(tmp_path: Path, period: int) -> None:
    """Every state, with much going on in it, each for long enough that whatever is prepared in bulk would be met."""
    path = take(tmp_path)
    tracks = tuple(TrackPlan(n, f"T{n}", (n - 1,), False, 0.0) for n in range(1, 13))
    beat = (TrackPlan(50, "Beat", (16, 17), False, 0.0),)
    pieces = tuple(Piece(n, n, path, 0, 900_000, 0) for n in range(1, 13))
    clicking = ClickSettings(subdivision=4)
    plan = plan_of(*tracks, *beat, period=period, pieces=pieces, click=True, clicking=clicking, loop=(48_000, 60_000))
    engine = start(plan)
    engine.pump()
    worst = {"stopped": calls_in_blocks(engine, 8192)}
    engine.soon(engine.roll)
    worst["rolling"] = calls_in_blocks(engine, 70_000)
    engine.soon(engine.stop)
    worst["stopping"] = calls_in_blocks(engine, 8192)
    engine.soon(engine.roll)
    for n in range(6):
        changed = replace(plan, revision=n, tracks=tuple(replace(t, fader_db=-n) for t in plan.tracks))
        engine.soon(engine.set_plan(changed))
        worst[f"edit {n}"] = calls_in_blocks(engine, 4800)
    tempo = TempoMap.from_dict(48000, {**plan.tempo.to_dict()})
    engine.soon(engine.set_plan(replace(plan, tempo=replace(tempo, bar_one=777))))
    worst["tempo"] = calls_in_blocks(engine, 8192)
    engine._going_to = [48_000 * 3600]
    engine.read_ahead()
    engine.soon(lambda: engine.transport.locate(48_000 * 3600, 48000))
    worst["far jump"] = calls_in_blocks(engine, 8192)
    assert max(worst.values()) < MOST_CALLS, worst
