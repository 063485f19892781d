"""The truth table of listening, every line of it."""

from itertools import product
from pathlib import Path

import pytest

from cattailer.core.mix.listening import (
    ALWAYS,
    AUTO,
    CAPTURING,
    DIRECT,
    MOMENTS,
    OFF,
    PATHS,
    STILL,
    WHENS,
    heard,
    table,
)

ALL = list(product(PATHS, WHENS, (True, False), MOMENTS, (True, False)))


@pytest.mark.parametrize(("path", "when", "armed", "moment", "lies"), ALL)
def test_every_line(path: str, when: str, armed: bool, moment: str, lies: bool) -> None:
    """Against the rules in words, each written down apart."""
    got = heard(path, when, armed, moment, lies)
    live = got.direct or got.through
    assert not (got.direct and got.through), "never twice"
    if live:
        assert got.direct == (path == DIRECT)
    if when == OFF:
        assert not live
    if when == ALWAYS:
        assert live
    if when == AUTO and armed:
        assert live == (moment in (*STILL, CAPTURING) or not lies)
    if when == AUTO and not armed:
        assert not live
    if moment in STILL or not lies:
        assert not got.captured
    elif armed and moment == CAPTURING:
        assert not got.captured, "a take is never heard under the one that is captured over it"
    else:
        assert got.captured


def test_the_document_holds_the_table() -> None:
    assert table() in (Path(__file__).parents[3] / "docs" / "listening.md").read_text()
