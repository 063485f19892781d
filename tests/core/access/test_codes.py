"""Codes by which a device comes in, and how often somebody may try."""

from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.access import codes
from cattailer.core.access.codes import TRIES, TRIES_OF_ALL, TRIES_S, Tries
from cattailer.core.wording import ago


@pytest.mark.parametrize(("typed", "good"), [
    ("123456", True), (" 123 456 ", True), ("123-456", True), ("12345", False), ("1234567", False), ("١٢٣٤٥٦", False),
    ("12345x", False), ("", False),
])
def test_a_code_as_people_type_it(typed: str, good: bool) -> None:
    assert codes.is_code(codes.plain_code(typed)) is good


@pytest.mark.parametrize(("address", "counted_as"), [
    ("192.168.1.7", "192.168.1.7"), ("::ffff:192.168.1.7", "192.168.1.7"), ("fe80::1%eth0", "fe80::/64"),
    ("2001:db8:1:2:3:4:5:6", "2001:db8:1:2::/64"), ("x", "x"),
])
def test_what_counts_as_one_address(address: str, counted_as: str) -> None:
    assert codes.household(address) == counted_as


def test_one_address_waits_after_five_and_others_do_not() -> None:
    tries = Tries()
    for n in range(TRIES):
        assert tries.wait_s("10.0.0.1", n) == 0
        tries.failed("10.0.0.1", n)
    assert tries.wait_s("10.0.0.1", TRIES) == TRIES_S - TRIES
    assert tries.wait_s("10.0.0.2", TRIES) == 0
    assert tries.wait_s("10.0.0.1", TRIES_S) == 0


@given(st.lists(st.tuples(st.integers(0, 5000), st.floats(0, 5)), max_size=200))
def test_however_many_take_part_there_are_never_more_than_so_many_in_a_minute(asked: list[tuple[int, float]]) -> None:
    tries, now, tried = Tries(), 0.0, []
    for house, pause in asked:
        now += pause
        if tries.wait_s(f"10.0.{house // 250}.{house % 250}", now) <= 0:
            tries.failed(f"10.0.{house // 250}.{house % 250}", now)
            tried.append((house, now))
    for house, at in tried:
        within = [h for h, t in tried if at - TRIES_S < t <= at]
        assert len(within) <= TRIES_OF_ALL
        assert within.count(house) <= TRIES


@pytest.mark.parametrize(("seconds", "words"), [(3, "just now"), (300, "5 min ago"), (7200, "2 h ago"), (200_000, "2026-11-24")])
def test_when_it_was_seen(seconds: float, words: str) -> None:
    now = datetime(2026, 11, 26, 12, tzinfo=UTC)
    assert ago(now - timedelta(seconds=seconds), now) == words
    assert ago(None, now) == "never"
