"""The engine's truth, to the sample, on the virtual clock."""

from pathlib import Path

import numpy as np

from cattailer.core.plan import TrackPlan
from cattailer.media import wavfile
from cattailer.services.session import demo
from tests.helpers.plans import LOOP, begin, finish, plan_of, run_for, sound, start


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
    first = 1280 + engine.late_samples
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
