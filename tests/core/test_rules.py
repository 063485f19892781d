"""Small rules: units, levels, latency, names, interface, ready check, which take is heard."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core import latency, levels, ready, units
from cattailer.core.errors import Refusal
from cattailer.core.mixing import pan_gains
from cattailer.core.naming import MAX_NAME, clean_name, distinct, file_stem, safe_part
from cattailer.core.takes import TakeSpan, topmost
from cattailer.media import profile_toml

MARSHGATE = profile_toml.shipped()["marshgate-16"]


@given(st.floats(-150, 60))
def test_decibels_and_back(db: float) -> None:
    assert units.decibels(units.amplitude(db)) == pytest.approx(db, abs=1e-9)


def test_decibels_of_nothing() -> None:
    for value in (0.0, -1.0, math.nan):
        assert units.decibels(value) == units.SILENCE_DB


def test_independent_noises_add_as_powers() -> None:
    assert units.add_powers(-60, -60) == pytest.approx(-56.99, abs=0.01)


def test_gain_structure_by_hand() -> None:
    # 94 dB SPL at 1 m is 100 dB at 0.5 m: 2 Pa, times 12 mV/Pa is 24 mV, which is -30.2 dBu.
    spl = levels.spl_at(0.5, 94.0)
    assert spl == pytest.approx(100.02, abs=0.01)
    dbu = levels.microphone_dbu(spl, 12.0)
    assert dbu == pytest.approx(20 * math.log10(0.02405 / 0.7746), abs=0.05)
    assert levels.dbfs(dbu, 30.0, 18.0) == pytest.approx(dbu + 12.0)
    # Much gain: the microphone's own noise decides; none: the converter does.
    assert levels.noise_dbfs(15, 12.0, -128, 60, 18, -116) == pytest.approx(levels.microphone_dbu(15, 12.0) + 42, abs=0.7)
    assert levels.noise_dbfs(15, 12.0, -128, 0, 18, -116) == pytest.approx(-116, abs=0.5)


def test_round_trip_is_both_ways() -> None:
    lat = MARSHGATE.latency(128)
    assert (lat.input_samples, lat.output_samples) == (128 + 16 + 23, 128 + 16 + 21)
    assert lat.round_trip_ms(48000) == pytest.approx(1000 * 332 / 48000)
    assert latency.air_delay_samples(3.43, 48000) == 480


@given(st.text(max_size=300))
def test_file_names_are_safe_everywhere(text: str) -> None:
    name = safe_part(text)
    assert name
    assert len(name) <= 62
    assert not set(name) & set('/\\:*?"<>| \0\n')
    assert name not in (".", "..")
    assert name.isascii()


def test_file_names_by_example() -> None:
    assert safe_part("The Lamplighter's Ferry") == "The-Lamplighters-Ferry"
    assert safe_part("../../etc/passwd") == "etc-passwd"
    assert safe_part("CON") == "x-CON"
    assert file_stem("{session}_{track}_run{run}", session="Fähre", track="Cello / DI", run="02") == "Fahre_Cello-DI_run02"
    assert distinct(["a", "A", "b", "a"]) == ["a", "A-2", "b", "a-3"]
    with pytest.raises(Refusal, match="unknown token"):
        file_stem("{sesion}", session="x")


@pytest.mark.parametrize("bad", ["", "   ", "x" * (MAX_NAME + 1), "a\0b", "a" * 10_000])
def test_names_that_cannot_be(bad: str) -> None:
    with pytest.raises(Refusal):
        clean_name(bad, "track's name")


def test_interface_limits_say_what_there_is() -> None:
    assert MARSHGATE.check_gain(33.4) == 33.0
    for check, value, words in (
        (MARSHGATE.check_gain, 70.0, "outside"), (MARSHGATE.check_rate, 22050, "44,100"),
        (MARSHGATE.check_period, 100, "32"), (MARSHGATE.check_bits, 20, "24"),
    ):
        with pytest.raises(Refusal, match=words):
            check(value)  # type: ignore[operator]


@given(st.floats(-1, 1))
def test_panning_mono_keeps_the_power(pan: float) -> None:
    ((left, right),) = pan_gains(pan, 1)
    assert left**2 + right**2 == pytest.approx(1.0)


def test_panning_pairs() -> None:
    assert pan_gains(0.0, 2) == [pytest.approx((1.0, 0.0)), pytest.approx((0.0, 1.0))]
    assert pan_gains(-1.0, 2)[1] == pytest.approx((0.0, 0.0))


@given(st.lists(st.tuples(st.integers(0, 60), st.integers(1, 30)), max_size=6))
def test_the_topmost_take_is_heard_at_every_sample(takes: list[tuple[int, int]]) -> None:
    spans = [TakeSpan(n, 1, f"{n}.wav", start, length, n) for n, (start, length) in enumerate(takes)]
    placed = topmost(spans)
    heard: dict[int, tuple[int, int]] = {}
    for piece in placed:
        for i in range(piece.samples):
            assert piece.start + i not in heard
            heard[piece.start + i] = (piece.take, piece.offset + i)
    for sample in range(100):
        over = [s for s in spans if s.start <= sample < s.start + s.samples]
        expected = (over[-1].take, sample - over[-1].start) if over else None
        assert heard.get(sample) == expected


def _row(**changes: object) -> ready.RowState:
    return ready.RowState(**{"name": "Cello", "armed": True, "pickup": "condenser", "phantom": True, "fed": True,
                             **changes})  # type: ignore[arg-type]


def test_ready_check_names_what_is_wrong() -> None:
    assert [f.kind for f in ready.check([_row()], 100, "1 h", True)] == ["good", "good"]
    found = ready.check([_row(phantom=False), _row(name="DI", fed=False)], 5, "5 min", True)
    assert [f.kind for f in found] == ["look"] * 3
    assert "without 48 V" in found[1].text
    assert ready.check([_row(armed=False)], 100, "1 h", True)[0].kind == "stop"
    assert ready.check([_row()], 100, "1 h", False)[0].text.startswith("The engine")
    assert ready.stage_mark(found, True) == "look"
    assert ready.stage_mark([], True) == "settled"
    assert ready.stage_mark([], False) == "untouched"
