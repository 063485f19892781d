"""The ring, the transport and what is asked between blocks."""

import numpy as np
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from cattailer.core.errors import NotNow, Refusal
from cattailer.engine.block.ring import Ring
from cattailer.engine.block.transport import Transport


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


class TransportMachine(RuleBasedStateMachine):
    """No matter what is pressed in which order, the transport keeps its promises."""

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
        assert self.transport.sounding == (self.begins if capture else "rolling")
        assert self.transport.capturing == capture

    @property
    def begins(self) -> str:
        return "capturing" if self.transport.punch is None else "pre-roll"

    @rule()
    def capture(self) -> None:
        if self.transport.state not in ("stopped", "waiting", "rolling"):
            with pytest.raises(NotNow):
                self.transport.capture()
        else:
            self.transport.capture()
            assert self.transport.state == self.begins
            assert self.transport.capturing

    @rule()
    def wait(self) -> None:
        self.transport.wait()
        assert self.transport.capturing
        assert not self.transport.moving

    @rule(start=st.integers(0, 200_000), length=st.none() | st.integers(1, 20_000))
    def set_punch(self, start: int, length: int | None) -> None:
        if not self.transport.capturing:
            self.transport.punch = start, None if length is None else start + length

    @rule(left=st.integers(1, 20_000))
    def set_left(self, left: int) -> None:
        if self.transport.moving:
            self.transport.left = left

    @rule()
    def punch_out(self) -> None:
        if self.transport.capturing and self.transport.moving:
            self.transport.punch_out()
            assert (self.transport.state, self.transport.capturing, self.transport.over) == ("rolling", False, False)

    @rule()
    def stop(self) -> None:
        self.transport.stop()
        assert self.transport.position == self.transport.origin
        assert (self.transport.state, self.transport.punch, self.transport.left) == ("stopped", None, None)

    @rule(samples=st.integers(1, 4096))
    def a_block_passes(self, samples: int) -> None:
        """As the engine lets time pass: settle, take the block's stretches, advance over them."""
        transport = self.transport
        before = transport.state
        transport.settle(samples)
        state, position, passes, loop = transport.state, transport.position, transport.passes, transport.loop
        if state != before:
            self.turned(before, position, samples)
        if not transport.moving:
            return
        assert transport.state != "counting" or transport.position + samples <= transport.entry
        stretches, left = transport.stretches(samples), transport.left
        assert sum(length for _, _, length in stretches) == samples, "no sample is left out or played twice"
        assert [done for done, _, _ in stretches] == [sum(s[2] for s in stretches[:n]) for n in range(len(stretches))]
        assert stretches[0][1] == position
        transport.advance(stretches)
        assert transport.state == state
        assert transport.left == (None if left is None else left - samples)
        assert transport.over == (left is not None and left <= samples)
        around = loop is not None and state != "counting" and position < loop[1] <= position + samples
        if loop is not None and around:
            assert all(loop[0] <= at < loop[1] for _, at, _ in stretches[1:])
            assert loop[0] <= transport.position < loop[1]
            assert transport.passes > passes, "each time round is a pass of its own"
        else:
            assert (transport.position, transport.passes) == (position + samples, passes)

    def turned(self, before: str, position: int, samples: int) -> None:
        """What a block's beginning made of the state."""
        transport = self.transport
        if before == "counting" and transport.punch is None:
            assert transport.state == transport.after
        elif transport.punch is not None:
            first, until = transport.punch
            assert transport.state in (transport.after, "capturing", "post-roll")
            if transport.state == "capturing":
                assert first < position + samples
            if transport.state == "post-roll":
                assert until is not None
                assert position >= until

    @rule(start=st.integers(0, 200_000), length=st.integers(1, 20_000), on=st.booleans())
    def set_loop(self, start: int, length: int, on: bool) -> None:
        self.transport.loop = (start, start + length) if on else None

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
    def it_stands_where_it_began(self) -> None:
        assert self.transport.origin >= -60 * 48000
        if not self.transport.moving:
            assert self.transport.origin == self.transport.position


TransportMachine.TestCase.settings = settings(max_examples=80, stateful_step_count=30)
TestTransport = TransportMachine.TestCase
