"""The rules of the patch: routing, findings, feeds, the picture."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.errors import Refusal
from cattailer.core.gear.interface import Profile
from cattailer.core.patch import patchcheck
from cattailer.core.patch.patch import Patch, PatchGroup, PatchInput, PatchMix, PatchTrack
from cattailer.core.patch.routing import check_route, flow
from cattailer.media import profile_toml

PROFILES = profile_toml.shipped()
BIG, SMALL = PROFILES["marshgate-16"], PROFILES["marshgate-2"]
MAIN = PatchMix(1, "Main mix", "main", (1, 2))


def patch(*tracks: PatchTrack, **changes: object) -> Patch:
    routes = tuple((t.key, "mix:1") for t in tracks)
    return replace(Patch((), tracks, (), (MAIN,), routes), **changes)


def looks(made: Patch, profile: Profile = BIG) -> dict[str, str]:
    return {f.text: f.cure.words if f.cure else "" for f in patchcheck.check(made, profile) if f.kind == "look"}


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


QUIET, KNOCK = [{}] * 5, [{3: -20.0, 4: -44.0}] * 6
