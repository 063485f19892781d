"""The input list as text."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from cattailer.core.errors import Refusal
from cattailer.core.patch import inputlist
from cattailer.core.patch.patch import (
    Patch,
    PatchInput,
)
from cattailer.media import profile_toml
from cattailer.services.session import demo

PROFILES = profile_toml.shipped()
BIG, SMALL = PROFILES["marshgate-16"], PROFILES["marshgate-2"]
DEMO = demo.shape().patch
HEAD = "socket,name,source,pick-up,48 V,notes\n"


@pytest.mark.parametrize(("row", "words"), [
    ("3,A,B,condenser,maybe,", "write yes or no"), ("3,A,B,kazoo,yes,", "is not known"), ("17,A,,,,", "no socket 17"),
    ("x,A,,,,", "not a socket's number"), (",A,,,,", "names no socket"), ("3,=cmd|' /C calc'!A0,,,,", "looks like a formula"),
    ("3,A,@SUM(1),,,", "looks like a formula"), ("3,A,,,,-2+3+cmd|' /C calc'!A0", "looks like a formula"),
    (f"3,{'x' * 100},,,,", "too long"), ("13,A,,condenser,yes,", "has no preamp"), ("3,A,,,,,,,", "cells where the first row has 6"),
])
def test_problems_of_a_list_are_told_by_row(row: str, words: str) -> None:
    read = inputlist.read(f"{HEAD}1,Good,,,,\n{row}\n", Patch(), BIG)
    assert read.lines[0].problems == ()
    assert any(words in p for p in read.lines[1].problems), read.lines[1]
    assert read.problems == 1


def test_lists_of_all_kinds_are_read() -> None:
    text = "\ufeffPick up;CH;Name;48V;Notes\r\nDYN;6;Frame drum;;\"15 cm; off the rim\"\r\n\r\nCond;7;Harmonium;x;-3 dB\r\n"
    read = inputlist.read(text, Patch(), BIG)
    assert [line.values for line in read.lines] == [
        {"pickup": "dynamic", "label": "Frame drum", "phantom": False, "note": "15 cm; off the rim"},
        {"pickup": "condenser", "label": "Harmonium", "phantom": True, "note": "-3 dB"},
    ]
    assert [line.track for line in read.lines] == ["new track Frame drum", "new track Harmonium"]
    twice = inputlist.read(HEAD + "3,A,,,,\n3,B,,,,\n", DEMO, BIG)
    assert twice.lines[1].problems == ("socket 3 is in line 2 already",)
    assert twice.lines[0].track == "track Cello becomes A"


@pytest.mark.parametrize(("text", "words"), [
    ("", "is empty"), ("1,Cello\n", "first row must name"), ("socket\n1\n", "first row must name"),
    (HEAD + "1,A,,,,\n" * 10_000, "10,000 rows"), ("socket,name,name\n1,a,b", "first row must name"),
])
def test_what_is_no_list_is_refused(text: str, words: str) -> None:
    with pytest.raises(Refusal, match=words):
        inputlist.read(text, Patch(), BIG)


SHOWN = st.characters(blacklist_categories=("Cc", "Cs", "Cn", "Zl", "Zp"))  # what names and notes may hold
CELL = st.text(SHOWN, max_size=20).map(lambda s: " ".join(s.split()))


@example([("", "", "'=", False)])
@given(st.lists(st.tuples(CELL, CELL, CELL, st.booleans()), min_size=1, max_size=8))
def test_a_written_list_is_harmless_and_reads_back(rows: list[tuple[str, str, str, bool]]) -> None:
    made = Patch(tuple(
        PatchInput(n, label, source, "dynamic", note=note, phantom=on) for n, (label, source, note, on) in enumerate(rows, 1)
    ))
    text = inputlist.write(made, BIG)
    for line in inputlist._rows(text)[1:]:
        assert not any(cell[:1] in "=@+-" for cell in line[1] if cell)
    try:
        read = inputlist.read(text, made, BIG)
    except Refusal:
        raise AssertionError(text) from None
    for line in read.lines:
        assert not line.problems, text
        assert not line.changes, (line, text)
