"""The engine's truth, to the sample, on the virtual clock."""

from pathlib import Path

import numpy as np
import pytest

from cattailer.core.plan import TrackPlan
from cattailer.core.takes.pieces import Piece
from cattailer.media import bwf, wavfile
from cattailer.services.session import demo
from tests.helpers.plans import LOOP, ORIGIN, begin, finish, plan_of, run_for, sound, start


@pytest.mark.parametrize("period", [32, 128, 1024])
def test_a_click_through_a_cable_lands_on_the_grid(tmp_path: Path, period: int) -> None:
    """The stand-in delays by its whole round trip; the capture is placed that much earlier."""
    plan = plan_of(LOOP, click=True, period=period)
    engine = start(plan, cables=((0, 12),))
    run_for(engine, 5000)
    run = begin(engine, tmp_path)
    run_for(engine, 48000 * 3)
    finish(engine, run)
    captured = np.abs(sound(tmp_path, "Loop")[0])
    for beat in plan.tempo.beats_between(0, 48000 * 3 - 2000):
        around = captured[max(0, beat.sample - 600) : beat.sample + 600]
        onset = int(np.argmax(around > 0.5 * around.max())) + max(0, beat.sample - 600)
        assert abs(onset - beat.sample) <= 1, beat


def test_all_files_of_a_run_are_equally_long_and_start_together(tmp_path: Path) -> None:
    pair = TrackPlan(50, "Room", (8, 9), True)
    engine = start(plan_of(*demo.plan(True).tracks, pair))
    run = begin(engine, tmp_path)
    run_for(engine, 48000)
    story = finish(engine, run)
    infos = [wavfile.inspect(p) for p in sorted(tmp_path.glob("*.wav"))]
    assert len(infos) == 11
    assert {i.frames for i in infos} == {story.samples}
    assert story.samples >= 48000
    assert {i.start for i in infos} == {0}
    assert np.array_equal(sound(tmp_path, "Room"), np.concatenate(
        [sound(tmp_path, "Room-left"), sound(tmp_path, "Room-right")]
    ))
    peaks = {e.path: e.peak_dbfs for e in story.files}
    for info in infos:
        assert peaks[info.path.name] == pytest.approx(20 * np.log10(np.abs(wavfile.read(info)).max()), abs=0.01)


def test_what_is_captured_is_what_the_converters_said(tmp_path: Path) -> None:
    """Not a sample is lost or altered between the driver and the file."""
    plan = demo.plan(True)
    seen: list[np.ndarray] = []
    engine = start(plan)
    process = engine.process

    def watch(inputs: np.ndarray, outputs: np.ndarray, sample: int, lost: int) -> tuple[bool, int, int]:
        seen.append(inputs.copy())
        return process(inputs, outputs, sample, lost)

    engine.process = watch  # type: ignore[method-assign]
    run_for(engine, 1280)
    run = begin(engine, tmp_path)
    run_for(engine, 96000)
    story = finish(engine, run)
    arrived = np.concatenate(seen, axis=1)
    first = 1280 + engine.driver.latency.round_trip_samples
    for track in plan.tracks:
        expected = arrived[track.inputs[0], first : first + story.samples]
        assert np.array_equal(sound(tmp_path, track.name.replace(" ", "-"))[0], expected)


def test_a_dropout_is_padded_marked_and_everything_stays_aligned(tmp_path: Path) -> None:
    plan = plan_of(LOOP, TrackPlan(3, "Cello", (2,), True, -200.0), click=True)
    engine = start(plan, cables=((0, 12),), losses={30_000: 12_800})
    run = begin(engine, tmp_path)
    run_for(engine, 48000 * 3)
    story = finish(engine, run)
    (dropout,) = story.dropouts
    assert dropout.samples == 12_800
    assert engine.dropouts == 1
    cello = sound(tmp_path, "Cello")[0]
    assert not cello[dropout.offset : dropout.offset + dropout.samples].any()
    assert cello[dropout.offset - 100 : dropout.offset].any()
    assert cello[dropout.offset + dropout.samples :][:100].any()
    (marker,) = wavfile.inspect(tmp_path / "Cello.wav").markers
    assert marker.offset == dropout.offset
    assert marker.label.startswith("dropout, 12800 samples, load ")
    loop = np.abs(sound(tmp_path, "Loop")[0])
    beat = next(b for b in plan.tempo.beats_between(60_000, 200_000))
    assert abs(int(loop[beat.sample - 500 : beat.sample + 500].argmax()) - 500) <= 1


def test_playback_sums_the_takes_with_fader_and_pan(tmp_path: Path) -> None:
    paths = []
    rng = np.random.default_rng(3)
    blocks = [(rng.integers(-(2**20), 2**20, (1, 60_000)) / 2**23).astype(np.float32) for _ in range(2)]
    for n, block in enumerate(blocks):
        paths.append(tmp_path / f"{n}.wav")
        writer = bwf.BwfWriter(paths[-1], bwf.Format(48000, 1, 24), ORIGIN)
        writer.write(block)
        writer.close()
    pieces = (Piece(1, 1, str(paths[0]), 100, 50_000, 0), Piece(2, 2, str(paths[1]), 20_000, 30_000, 7))
    tracks = (TrackPlan(1, "A", (0,), False, -6.0, -1.0), TrackPlan(2, "B", (1,), False, 0.0, 0.0))
    engine = start(plan_of(*tracks, pieces=pieces, main_db=0.0))
    engine.soon(engine.transport.roll)
    run_for(engine, 60_000)
    mix = engine.mix_of(0, 0, 60_000)
    assert mix is not None
    left, right = np.zeros(60_000), np.zeros(60_000)
    left[100:50_100] += blocks[0][0, :50_000] * 10 ** (-6 / 20)
    for side in (left, right):
        side[20_000:50_000] += blocks[1][0, 7:30_007] * np.sqrt(0.5)
    # Where a piece begins or ends it fades for 2 ms.
    inside = np.ones(60_000, bool)
    for edge in (100, 50_100 - 96, 20_000, 50_000 - 96):
        inside[edge : edge + 96] = False
    assert np.abs(mix[0] - left)[inside].max() < 1e-6
    assert np.abs(mix[1] - right)[inside].max() < 1e-6


def test_capturing_while_rolling_starts_where_it_says(tmp_path: Path) -> None:
    plan = plan_of(LOOP, click=True)
    engine = start(plan, cables=((0, 12),))
    engine.soon(engine.transport.roll)
    run_for(engine, 70_000)
    run = begin(engine, tmp_path)
    run_for(engine, 512)
    run_for(engine, 96_000)
    finish(engine, run)
    info = wavfile.inspect(tmp_path / "Loop.wav")
    assert info.start >= 70_000 - 128
    loop = np.abs(wavfile.read(info)[0])
    beat = next(b for b in plan.tempo.beats_between(info.start + 1000, 200_000))
    at = beat.sample - info.start
    assert abs(int(loop[at - 500 : at + 500].argmax()) - 500) <= 1


