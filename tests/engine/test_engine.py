"""The engine's truth, to the sample, on the virtual clock."""

import errno
import uuid
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from cattailer.core.clicking import ClickPlan
from cattailer.core.errors import NotNow, Refusal
from cattailer.core.plan import MixPlan, Plan, TrackPlan
from cattailer.core.takes import Placed
from cattailer.engine.capture import RunWriter
from cattailer.engine.click import Click
from cattailer.engine.engine import Engine
from cattailer.engine.offline import run_for, run_inline
from cattailer.engine.ring import Ring
from cattailer.engine.transport import Transport
from cattailer.liveroom.clock import VirtualClock
from cattailer.media import bwf, journal, wavfile
from cattailer.processes.interfaces import open_live_room
from cattailer.services import demo

LOOP = TrackPlan(99, "Loop", (12,), True, -200.0)


def plan_of(*tracks: TrackPlan, **changes: Any) -> Plan:
    """The demo's hardware with other tracks, all of them straight in the main mix."""
    straight: dict[str, Any] = {
        "groups": (), "mixes": (MixPlan(1, "Main mix", (0, 1), changes.pop("main_db", -6.0)),),
        "routes": tuple((f"track:{t.id}", "mix:1") for t in tracks),
    }
    return replace(demo.plan(True, period=changes.pop("period", 128)), tracks=tracks, **{**straight, **changes})


def start(plan: Plan, cables: tuple[tuple[int, int], ...] = (), losses: dict[int, int] | None = None) -> Engine:
    return Engine(open_live_room(plan, VirtualClock(losses), cables), plan)


def opened(engine: Engine, out: Path, opener: Any = bwf.create_new) -> RunWriter:
    """A run whose files are open; nothing is captured yet."""
    files = tuple(
        journal.RunFile(t.id, t.name, f"{t.name.replace(' ', '-')}.wav", len(t.inputs), t.inputs)
        for t in engine.plan.tracks if t.armed
    )
    head = journal.RunHead(str(uuid.uuid4()), 1, 1, "T", engine.plan.rate_hz, 24, engine.transport.position,
                           "2026-05-04T14:02:31+00:00", files)
    return RunWriter(out, "run", head, engine.ring, engine.told.append, opener)


def begin(engine: Engine, out: Path, opener: Any = bwf.create_new) -> RunWriter:
    run = opened(engine, out, opener)
    engine.soon(lambda: engine.begin_run(run))
    return run


def finish(engine: Engine, run: RunWriter) -> journal.RunStory:
    engine.soon(engine.stop)
    run_inline(engine, lambda: not run.done)
    assert run.story is not None
    return run.story


def sound(out: Path, name: str) -> np.ndarray:
    return wavfile.read(wavfile.inspect(out / f"{name}.wav"))


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
        writer = bwf.BwfWriter(paths[-1], bwf.Format(48000, 1, 24), bwf.Origin("S", "T", 0, _now()))
        writer.write(block)
        writer.close()
    line = (Placed(1, 1, str(paths[0]), 100, 50_000, 0), Placed(2, 2, str(paths[1]), 20_000, 30_000, 7))
    tracks = (TrackPlan(1, "A", (0,), False, -6.0, -1.0), TrackPlan(2, "B", (1,), False, 0.0, 0.0))
    engine = start(plan_of(*tracks, line=line, main_db=0.0))
    engine.soon(engine.transport.roll)
    run_for(engine, 60_000)
    mix = engine.mix.read(0, 60_000)
    assert mix is not None
    left, right = np.zeros(60_000), np.zeros(60_000)
    left[100:50_100] += blocks[0][0, :50_000] * 10 ** (-6 / 20)
    for side in (left, right):
        side[20_000:50_000] += blocks[1][0, 7:30_007] * np.sqrt(0.5)
    assert np.abs(mix[0] - left).max() < 1e-6
    assert np.abs(mix[1] - right).max() < 1e-6


def _now() -> Any:
    from datetime import datetime

    return datetime(2026, 1, 1)


class RunsFull:
    """A file on a disk that takes ``room`` bytes altogether."""

    def __init__(self, path: Path, room: list[int]) -> None:
        self._file = bwf.create_new(path)
        self._room = room
        self._armed = False

    def write(self, data: bytes) -> int:
        if self._file.tell() >= bwf.HEADER_BYTES:
            if self._room[0] < len(data):
                part = self._file.write(data[: max(0, self._room[0])])
                self._room[0] = 0
                if part:
                    return part
                raise OSError(errno.ENOSPC, "No space left on device")
            self._room[0] -= len(data)
        return self._file.write(data)

    def __getattr__(self, name: str) -> Any:
        return getattr(self._file, name)


def test_a_full_disk_ends_the_run_and_keeps_everything_until_then(tmp_path: Path) -> None:
    room = [10 * 3 * 60_000]
    engine = start(demo.plan(True))
    run = begin(engine, tmp_path, lambda path: RunsFull(path, room))
    run_for(engine, 48000 * 4)
    assert run.done
    assert "disk is full" in run.message
    assert engine.transport.state == "stopped"
    assert any(m.get("kind") == "halt" and "disk is full" in m["message"] for m in engine.told)
    infos = [wavfile.inspect(p) for p in sorted(tmp_path.glob("*.wav"))]
    assert len(infos) == 10
    assert {i.frames for i in infos} == {run.frames}
    assert 40_000 <= run.frames <= 60_000
    assert not any(i.cut_short for i in infos)
    story = journal.read(tmp_path / "run.journal.jsonl")
    assert story is not None
    assert story.ended


def test_a_run_that_cannot_open_leaves_nothing_behind(tmp_path: Path) -> None:
    (tmp_path / "Cello.wav").write_bytes(b"precious")
    engine = start(demo.plan(True))
    with pytest.raises(FileExistsError):
        begin(engine, tmp_path)
    assert [p.name for p in tmp_path.iterdir() if p.is_file()] == ["Cello.wav"]
    assert (tmp_path / "Cello.wav").read_bytes() == b"precious"


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


def test_the_ring_keeps_the_newest_and_says_what_is_gone() -> None:
    ring = Ring(2, 20_000)
    everything = np.arange(100_000, dtype=np.float32)
    for part in np.array_split(everything, 333):
        ring.write(np.stack([part, -part]))
    got = ring.read(95_000, 100_000)
    assert got is not None
    assert np.array_equal(got, np.stack([everything[95_000:], -everything[95_000:]]))
    assert ring.read(70_000, 71_000) is None
    ring.write_silence(50_000)
    assert ring.written == 150_000
    tail = ring.read(149_000, 150_000)
    assert tail is not None
    assert not tail.any()


def test_a_click_is_the_same_in_blocks_of_any_size() -> None:
    tempo = demo.tempo()
    whole = np.zeros((2, 48_000), np.float32)
    Click(tempo, ClickPlan(level_db=-6.0)).add(whole, 0)
    parts = np.zeros((2, 48_000), np.float32)
    click, at = Click(tempo, ClickPlan(level_db=-6.0)), 0
    for size in (1, 37, 512, 9000, 20_000, 18_450):
        click.add(parts[:, at : at + size], at)
        at += size
    assert np.array_equal(whole, parts)
    assert whole[0, 0] == pytest.approx(10 ** (-6 / 20))


class TransportMachine(RuleBasedStateMachine):
    """Whatever is pressed in whatever order, the transport keeps its promises."""

    def __init__(self) -> None:
        super().__init__()
        self.transport = Transport()

    @rule()
    def roll(self) -> None:
        before = self.transport.state
        self.transport.roll()
        assert self.transport.state == ("rolling" if before == "stopped" else before)

    @rule(lead=st.integers(1, 100_000), capture=st.booleans())
    def count_in(self, lead: int, capture: bool) -> None:
        if self.transport.state != "stopped":
            return
        at = self.transport.position
        (self.transport.capture if capture else self.transport.roll)(lead)
        assert (self.transport.state, self.transport.position) == ("counting", at - lead)
        assert self.transport.sounding == ("capturing" if capture else "rolling")

    @rule()
    def capture(self) -> None:
        if self.transport.state in ("capturing", "counting"):
            with pytest.raises(NotNow):
                self.transport.capture()
        else:
            self.transport.capture()
            assert self.transport.state == "capturing"

    @rule()
    def stop(self) -> None:
        self.transport.stop()
        assert self.transport.position == self.transport.origin

    @rule(samples=st.integers(1, 10_000))
    def time_passes(self, samples: int) -> None:
        if self.transport.rolling:
            self.transport.position += samples
            self.transport.settle(128)
            assert self.transport.state != "counting" or self.transport.position + 128 <= self.transport.entry

    @rule(position=st.integers(-3_000_000, 10_000_000_000))
    def locate(self, position: int) -> None:
        was = self.transport.position
        try:
            self.transport.locate(position, 48000)
        except Refusal:
            assert self.transport.position == was
        else:
            assert self.transport.position == position

    @invariant()
    def never_before_the_start(self) -> None:
        assert self.transport.origin >= -60 * 48000
        if self.transport.state != "counting":
            assert self.transport.origin <= self.transport.position + 128


TransportMachine.TestCase.settings = settings(max_examples=40, stateful_step_count=30)
TestTransport = TransportMachine.TestCase


def test_what_the_block_path_is_asked_is_answered() -> None:
    engine = start(demo.plan(True))

    def fails() -> None:
        raise NotNow("no")

    with ThreadPoolExecutor(2) as others:
        asked = [others.submit(engine.between_blocks, what) for what in (lambda: 42, fails)]
        while not all(a.done() for a in asked):
            run_for(engine, 256)
    assert asked[0].result() == 42
    with pytest.raises(NotNow, match="no"):
        asked[1].result()

