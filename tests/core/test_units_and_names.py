"""Decibels, and names that are safe everywhere."""

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core import units
from cattailer.core.errors import Refusal
from cattailer.core.naming import MAX_NAME, clean_name, distinct, file_stem, safe_part


@given(st.floats(-150, 60))
def test_decibels_and_back(db: float) -> None:
    assert units.decibels(units.amplitude(db)) == pytest.approx(db, abs=1e-9)


def test_decibels_of_nothing() -> None:
    for value in (0.0, -1.0, math.nan):
        assert units.decibels(value) == units.SILENCE_DB


def test_independent_noises_add_as_powers() -> None:
    assert units.add_powers(-60, -60) == pytest.approx(-56.99, abs=0.01)


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
