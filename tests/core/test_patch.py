"""The rules of the patch: routing, findings, the input list, the line check, the sums."""

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core import flowpicture, inputlist, patchcheck, phantom
from cattailer.core.errors import Refusal
from cattailer.core.interface import Profile, missing
from cattailer.core.linecheck import RiseFinder, Stop, Walk, loudest
from cattailer.core.mixing import sums
from cattailer.core.patch import Patch, PatchGroup, PatchInput, PatchMix, PatchTrack, check_feed, in_words, pair_from
from cattailer.core.pattern import bar_of
from cattailer.core.plan import GroupPlan, MixPlan, Plan, TrackPlan
from cattailer.core.routing import check_route, flow
from cattailer.core.shape import Shape
from cattailer.core.timeline import Meter
from cattailer.media import profile_toml
from cattailer.services import demo, templates

PROFILES = profile_toml.shipped()
BIG, SMALL = PROFILES["marshgate-16"], PROFILES["marshgate-2"]
DEMO = demo.shape().patch
MAIN = PatchMix(1, "Main mix", "main", (1, 2))


def patch(*tracks: PatchTrack, **changes: object) -> Patch:
    routes = tuple((t.key, "mix:1") for t in tracks)
    return replace(Patch((), tracks, (), (MAIN,), routes), **changes)


def looks(made: Patch, profile: Profile = BIG) -> dict[str, str]:
    return {f.text: f.cure.words if f.cure else "" for f in patchcheck.check(made, profile) if f.kind == "look"}


def test_the_way_of_an_end_goes_up_and_down() -> None:
    drawn = flow(DEMO, BIG)
    assert drawn.way("in:3") == ["in:3", "track:3", "group:1", "mix:4", "mix:1", "mix:2", "mix:3", "out:7", "out:1", "out:3", "out:5"]
    assert drawn.in_words("in:3")[:2] == ["Goes through Cello and Strings.", "Heard in Main mix, outputs 1+2."]
    assert drawn.in_words("track:8")[0] == "Fed by socket 8 (Narrator)."
    assert drawn.in_words("out:3")[-1] == "Carries Cue dulcimer."
    assert drawn.leads_nowhere("soft:beat")
    assert "It leads nowhere." in drawn.in_words("soft:beat")


def test_a_loop_is_refused_and_named() -> None:
    groups = (PatchGroup(1, "A"), PatchGroup(2, "B"), PatchGroup(3, "C"))
    made = patch(PatchTrack(7, "Sum", ("group:3:L", "group:3:R")), groups=groups,
                 routes=(("group:1", "group:2"), ("group:2", "group:3")))
    with pytest.raises(Refusal, match="close a loop: C → A → B → C"):
        check_route(made, BIG, "group:3", "group:1")
    with pytest.raises(Refusal, match="Sum → B → C → Sum"):
        check_route(made, BIG, "track:7", "group:2")
    check_route(made, BIG, "group:1", "group:3")


@given(st.lists(st.tuples(st.integers(0, 7), st.integers(0, 7)), max_size=40))
def test_routes_that_are_let_through_never_close_a_loop(wanted: list[tuple[int, int]]) -> None:
    groups = tuple(PatchGroup(n, f"G{n}") for n in range(8))
    made = Patch((), (), groups, (MAIN,), ())
    for a, b in wanted:
        before = flow(made, BIG)
        try:
            check_route(made, BIG, f"group:{a}", f"group:{b}")
        except Refusal:
            assert a == b or f"group:{a}" in before.way(f"group:{b}")[before.way(f"group:{b}").index(f"group:{b}"):]
            continue
        made = replace(made, routes=(*made.routes, (f"group:{a}", f"group:{b}")))
    drawn = flow(made, BIG)
    assert all(key not in drawn._reach(key, True) for key in drawn.by_key)


@pytest.mark.parametrize(("made", "text", "cure"), [
    (patch(PatchTrack(1, "Vox", ("in:3", "in:3"))), "Vox is a pair, but a single microphone feeds it", "make it mono"),
    (patch(PatchTrack(1, "Vox", ("in:3", ""))), "Vox is a pair, but a single microphone feeds it", "make it mono"),
    (patch(PatchTrack(1, "Vox", ("in:3", "in:4")), inputs=(PatchInput(3, "Vox"), PatchInput(4))),
     "Vox is a pair, but a single microphone feeds it", "make it mono"),
    (patch(PatchTrack(1, "Track 12", ("in:3",)), inputs=(PatchInput(3, "Cello"),)),
     "“Track 12” says nothing a month from now", "call it Cello"),
    (patch(PatchTrack(1, "A", ("in:3",)), PatchTrack(2, "a", ("in:4",))), "Two tracks are called A", "call one a 2"),
    (patch(PatchTrack(1, "A", ("in:3",)), PatchTrack(2, "B", ("in:3",))), "Socket 3 feeds 2 tracks: A, B", "take it off B"),
    (patch(PatchTrack(1, "A", ("",))), "Nothing feeds A", "remove it"),
    (patch(PatchTrack(1, "Cello", ("",)), inputs=(PatchInput(2, "Viola"), PatchInput(5, "Cello"))), "Nothing feeds Cello", "use 5 Cello"),
    (patch(PatchTrack(1, "A", ("in:3",)), routes=()), "A leads nowhere", "send it to the main mix"),
    (patch(PatchTrack(1, "A", ("in:3",)), inputs=(PatchInput(3, "A", pickup="condenser"),)),
     "Socket 3 A: a condenser without 48 V is silent", "switch 48 V on"),
    (patch(PatchTrack(1, "A", ("in:14",)), inputs=(PatchInput(14, "A", pickup="condenser"),)),
     "Socket 14 A: a condenser needs 48 V, which this socket lacks", ""),
    (patch(PatchTrack(1, "A", ("in:3",)), inputs=(PatchInput(3, "A", pickup="ribbon", phantom=True),)),
     "Socket 3 A: 48 V can destroy a ribbon", "switch 48 V off"),
    (patch(inputs=(PatchInput(3, "Harp"),)), "Socket 3 Harp feeds no track", "make a track"),
    (patch(groups=(PatchGroup(1, "Strings"),), routes=(("group:1", "mix:1"),)), "No track goes into Strings", "remove it"),
    (patch(mixes=(MAIN, PatchMix(2, "Cue", "cue"))), "Cue has no output", "use 3+4"),
])
def test_what_needs_a_look_is_said_with_a_cure(made: Patch, text: str, cure: str) -> None:
    assert looks(made).get(text) == cure
    keys = [f.key for f in patchcheck.check(made, BIG) if f.text == text]
    assert text not in {f.text for f in patchcheck.check(made, BIG, frozenset(keys))}


def test_the_demo_and_the_templates_need_no_look() -> None:
    assert looks(DEMO) == {}
    for name, shape in templates.shipped().values():
        assert looks(shape.patch) == {}, name
        assert Shape.from_dict(shape.to_dict()) == shape


def test_fewer_sockets_than_the_session_needs_are_told() -> None:
    told = looks(DEMO, SMALL)
    assert "Cello is fed by socket 3, which Marshgate 2 does not have" in told
    assert "Cue narrator has no output" in told
    assert "not here any more" in next(iter(looks(DEMO, missing("gone"))))


def test_feeds_and_pairs() -> None:
    assert pair_from("in:5", BIG) == ("in:5", "in:6")
    assert pair_from("soft:pad:R", BIG) == ("soft:pad:L", "soft:pad:R")
    with pytest.raises(Refusal, match="last one"):
        pair_from("in:16", BIG)
    assert in_words(("in:3", "in:4"), {}) == "3+4"
    assert in_words(("group:1:L", "group:1:R"), {1: "Strings"}) == "group Strings"
    assert in_words(("", ""), {}) == "–"
    for bad in ("in:0", "in:17", "in:x", "soft:beat", "group:2:L", "track:1", "in:99999999"):
        with pytest.raises(Refusal):
            check_feed(bad, BIG, {1})


def test_sockets_offer_only_what_they_have() -> None:
    assert SMALL.bank(1) == (1, 2)
    assert BIG.bank(3) == (3,)
    assert BIG.socket(13).why_not("phantom") == "Socket 13 (line jack) has no preamp, so it has no 48 V."
    assert BIG.socket(5).why_not("instrument") == "Socket 5 (XLR) has no instrument switch."
    assert BIG.why_not_rate(192000) == "Marshgate 16 stops at 96 kHz"
    assert phantom.warning("dynamic", "A", True) == ""
    assert "destroy" in phantom.warning("ribbon", "A", True)
    assert "power it down" in phantom.unplugging(True, "condenser", "socket 3")


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


CELL = st.text(st.characters(blacklist_categories=("Cc", "Cs", "Zl", "Zp")), max_size=20).map(lambda s: " ".join(s.split()))


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


def hear(ears: RiseFinder, *frames: dict[int, float]) -> np.ndarray | None:
    """Levels by socket over a floor of -80; returns the first answer."""
    for frame in frames:
        levels = np.full(8, -80.0)
        for socket, level in frame.items():
            levels[socket - 1] = level
        answer = ears.hear(levels)
        if answer is not None:
            return answer
    return None


QUIET, KNOCK = [{}] * 5, [{3: -20.0, 4: -44.0}] * 6
CELLO = Walk((Stop(3, "Cello"), Stop(5, "Pickup"), Stop(6, "Drum")))


def test_sound_that_rises_is_heard_where_it_rose_most() -> None:
    rises = hear(RiseFinder(), *QUIET, *KNOCK)
    assert rises is not None
    assert loudest(rises) == 3
    assert hear(RiseFinder(), *([{3: -20.0}] * 20)) is None, "what sounds all the time is no answer"
    assert hear(RiseFinder(), *QUIET, *([{3: -70.0}] * 9)) is None, "too soft"
    assert hear(RiseFinder(), {2: float("nan")}, *QUIET, *KNOCK) is not None


def test_the_walk_ticks_finds_swaps_and_ends() -> None:
    heard = hear(RiseFinder(), *QUIET, *KNOCK)
    assert heard is not None
    walk = CELLO.hear(heard)
    assert (walk.asked, walk.done) == (Stop(5, "Pickup"), {3})
    elsewhere = hear(RiseFinder(), *QUIET, *([{6: -20.0}] * 6))
    assert elsewhere is not None
    walk = walk.hear(elsewhere)
    names = {3: "Cello", 5: "Pickup", 6: "Drum"}
    assert walk.words(names, frozenset(), frozenset()) == "Heard at 6: swapped with Drum?"
    assert walk.hear(np.zeros(8)) == walk
    walk = walk.skip().tick().tick() if walk.skip().asked else walk
    assert walk.over
    assert "1 of 3" not in walk.words(names, frozenset(), frozenset())
    condenser = CELLO.words(names, frozenset({3}), frozenset({3}))
    assert condenser.endswith("It is a condenser without 48 V and stays silent.")
    assert "(5, 6)" in CELLO.words(names, frozenset({5, 6}), frozenset({3}), quiet=True)


@given(st.lists(st.sampled_from(["tick", "skip", "to", "hear", "wrong"]), max_size=30), st.integers(1, 6))
def test_a_walk_never_loses_its_way(steps: list[str], count: int) -> None:
    walk = Walk(tuple(Stop(n, f"S{n}") for n in range(1, count + 1)))
    for step in steps:
        asked = walk.asked
        rises = np.zeros(8)
        if asked is not None:
            rises[asked.socket - 1 if step == "hear" else 7] = 30.0
        moves: dict[str, Callable[[], Walk]] = {
            "tick": walk.tick, "skip": walk.skip, "to": partial(walk.go_to, 1), "hear": partial(walk.hear, rises),
            "wrong": partial(walk.hear, rises),
        }
        after = moves[step]()
        if step == "hear" and asked is not None:
            assert asked.socket in after.done
        if step == "wrong" and asked is not None:
            assert (after.done, after.heard_at) == (walk.done, 8)
        assert after.asked is None or after.asked.socket not in after.done
        assert after.done <= {s.socket for s in after.stops}
        walk = after


def _plan(tracks: int, groups: int, routes: list[tuple[str, str]], armed: int) -> Plan:
    made = tuple(TrackPlan(n, f"T{n}", (n,), n == armed, -3.0 * n, (n % 3 - 1) * 0.5) for n in range(tracks))
    return replace(
        demo.plan(False), tracks=made, groups=tuple(GroupPlan(n, f"G{n}", -1.0 * n) for n in range(groups)),
        mixes=(MixPlan(1, "Main", (0, 1), -6.0), MixPlan(2, "Cue", (2, 3), 0.0)), routes=tuple(routes),
    )


@given(st.data())
def test_the_matrices_are_the_sums_along_all_ways(data: st.DataObject) -> None:
    """Against walking every way by hand, group by group."""
    tracks, groups = data.draw(st.integers(1, 5)), data.draw(st.integers(0, 4))
    ends = [f"track:{n}" for n in range(tracks)] + [f"group:{n}" for n in range(groups)]
    ways = [(a, b) for n, a in enumerate(ends) for b in [*ends[max(n + 1, tracks):], "mix:1", "mix:2"]]
    routes = data.draw(st.lists(st.sampled_from(ways), unique=True, max_size=15))
    plan = _plan(tracks, groups, routes, 0)
    got = sums(plan, "stopped").hardware

    def carried(end: str, left: float, right: float, mix: str) -> np.ndarray:
        total = np.zeros(2)
        for start, target in routes:
            if start != end:
                continue
            if target == mix:
                total += (left, right)
            elif target.startswith("group:"):
                level = 10 ** (-1.0 * int(target[6:]) / 20)
                total += carried(target, left * level, right * level, mix)
        return total

    for n, each in enumerate(plan.tracks):
        level, angle = 10 ** (each.fader_db / 20), (each.pan + 1) * np.pi / 4
        for row, (mix, db) in enumerate((("mix:1", -6.0), ("mix:2", 0.0))):
            want = carried(f"track:{n}", level * np.cos(angle), level * np.sin(angle), mix) * 10 ** (db / 20)
            assert np.allclose(got[2 * row : 2 * row + 2, n], want, atol=1e-6)
    rolling, capturing = sums(plan, "rolling"), sums(plan, "capturing")
    assert not rolling.hardware.any()
    assert np.allclose(rolling.line[:, :tracks], got[:, :tracks], atol=1e-6)
    assert not capturing.hardware[:, 1:].any()
    assert not capturing.line[:, 0].any()


def test_a_track_fed_by_a_group_carries_what_the_group_sums_to() -> None:
    plan = replace(
        _plan(2, 1, [("track:0", "group:0"), ("track:1", "group:0")], 9), taps=(0,),
    )
    fed = TrackPlan(5, "Sum", (plan.inputs + 6, plan.inputs + 7), True)
    plan = replace(plan, tracks=(*plan.tracks, fed), routes=(*plan.routes, ("track:5", "mix:2")))
    got = sums(plan, "stopped")
    assert np.allclose(got.hardware[2:4], got.hardware[4:6]), "cue mix at 0 dB is the tap"
    assert got.hardware[4:6, :2].any()


@given(st.integers(1, 13), st.sampled_from([1, 2, 4, 8, 16]), st.integers(1, 400))
def test_patterns_stay_within_their_bar(beats: int, unit: int, bar: int) -> None:
    meter = Meter(1, beats, unit)
    hits = bar_of(bar, meter)
    assert {h.voice for h in hits} == {"beat", "bass", "pad"}
    assert all(h.quarter >= 0 and h.quarter + h.quarters <= meter.bar_quarters and h.quarters > 0 for h in hits)


@pytest.mark.parametrize("count", [0, 1, 10, 64])
def test_the_picture_keeps_ends_apart(count: int) -> None:
    tracks = tuple(PatchTrack(n, f"T{n}", (f"in:{n % 16 + 1}",)) for n in range(count))
    drawn = flowpicture.draw(flow(patch(*tracks, groups=DEMO.groups, mixes=DEMO.mixes), BIG))
    for box in drawn.boxes:
        assert box.y > 0
        assert box.y + box.high < drawn.height
        others = [b for b in drawn.boxes if b is not box and b.x == box.x]
        assert all(abs(b.y - box.y) >= box.high for b in others)
    assert len(drawn.lines) >= count
