"""Decibels, and names that are safe everywhere."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.errors import Refusal
from cattailer.core.naming import distinct, file_stem, safe_part


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
