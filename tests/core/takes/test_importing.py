import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.takes.importing import PAIRS, SINGLE, length_text, parts, split_words, why_not


@given(st.integers(1, 64), st.sampled_from([SINGLE, PAIRS]))
def test_every_channel_becomes_part_of_one_track_and_no_name_twice(channels: int, split: str) -> None:
    made = parts("Rain", channels, split)
    assert [c for part in made for c in part.channels] == list(range(channels))
    assert all(len(part.channels) <= 2 for part in made)
    assert len({part.name for part in made}) == len(made)


def test_what_channels_become_is_said() -> None:
    assert [split_words(n, SINGLE) for n in (3, 6)] == ["3 single tracks", "6 single tracks"]
    assert [split_words(n, PAIRS) for n in (3, 5, 6)] == ["1 stereo pair, 1 single", "2 stereo pairs, 1 single", "3 stereo pairs"]


@pytest.mark.parametrize(("samples", "rate_hz", "text"), [
    (40 * 48000, 48000, "40 s"), (100 * 44100, 44100, "1 min 40 s"), (59 * 48000 + 47999, 48000, "59 s"),
    (3725 * 8000, 8000, "1 h 2 min 5 s"), (4800, 48000, "0.10 s"),
])
def test_a_length_is_never_rounded_up_to_the_next_minute(samples: int, rate_hz: int, text: str) -> None:
    assert length_text(samples, rate_hz) == text


def test_what_no_recording_has_is_named() -> None:
    assert why_not("a.wav", 2, 100, 48000) == ""
    assert "65 channels" in why_not("a.wav", 65, 100, 48000)
    assert "1 Hz" in why_not("a.wav", 1, 100, 1)
    assert "8 hours" in why_not("a.wav", 1, 9 * 3600 * 48000, 48000)
