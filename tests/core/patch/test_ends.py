"""The grammar of route ends and feeds."""

from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.patch import ends

NUMBERS = st.integers(0, 10**6)
ENDS = st.one_of(
    NUMBERS.map(ends.socket_end), NUMBERS.map(ends.track_end), NUMBERS.map(ends.group_end), NUMBERS.map(ends.mix_end),
    NUMBERS.map(ends.output_end), st.sampled_from(ends.SOFTWARE).map(ends.software_end),
)


@given(end=ENDS, side=st.integers(0, 1))
def test_a_channel_leads_back_to_its_end_and_side(end: str, side: int) -> None:
    feed = ends.channel(end, side)
    assert ends.end_of(feed) == end
    assert ends.kind_of(feed) == ends.kind_of(end)
    assert ends.name_of(feed) == ends.name_of(end)
    assert ends.side_of(feed) == (side if ends.kind_of(end) != ends.SOCKET else 0)


@given(number=NUMBERS)
def test_numbers_come_back(number: int) -> None:
    for make in (ends.socket_end, ends.track_end, ends.group_end, ends.mix_end, ends.output_end):
        assert ends.number_of(make(number)) == number
    assert ends.socket_of(ends.socket_end(number)) == number
    assert ends.socket_of(ends.channel(ends.group_end(number), 0)) is None


def test_the_empty_feed_is_nothing() -> None:
    assert (ends.kind_of(""), ends.name_of(""), ends.socket_of(""), ends.in_words(("",), {})) == ("", "", None, "–")
