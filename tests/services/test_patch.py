"""What people do on the Patch stage, with a real database."""

from dataclasses import replace

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import select

from cattailer.core.errors import NotFound, NotNow, Refusal, Sure
from cattailer.core.patch import Patch
from cattailer.media import profile_toml
from cattailer.services import (
    cures,
    demo,
    hardware,
    history,
    inputlists,
    inputs,
    linecheck,
    patchsheet,
    routes,
    sessions,
    sheet,
    takes,
    templates,
    tracks,
    transport,
)
from cattailer.services.desk import Desk
from cattailer.services.editing import get_session
from cattailer.services.linecheck import LiveWalk
from cattailer.services.planning import compile_plan, patch_of
from cattailer.store.models import History
from tests.conftest import pass_time, wait_for

TEN = "socket,name,source,pick-up,48 V,notes\n" + "\n".join(
    f"{i.socket},{i.name},{i.name.lower()},{i.pickup},{'yes' if i.phantom else 'no'},{i.note.split(',')[0]}" for i in demo.INPUTS
)


def the_patch(desk: Desk, session: int) -> Patch:
    with desk.database.transaction() as db:
        return patch_of(get_session(db, session))


def words(desk: Desk, session: int) -> list[str]:
    with desk.database.transaction() as db:
        return [line.what for line in history.lines(db, session)]


def test_from_an_empty_session_to_ten_tracks_with_one_list(desk: Desk) -> None:
    session = sessions.create_session(desk, "Barn")
    assert the_patch(desk, session).tracks == ()
    assert inputlists.preview(desk, session, TEN).changed == 10
    assert the_patch(desk, session).tracks == (), "a preview changes nothing"
    assert inputlists.take_over(desk, session, TEN) == 10
    made = the_patch(desk, session)
    assert [(t.name, t.feeds) for t in made.tracks] == [(i.name, (f"in:{i.socket}",)) for i in demo.INPUTS]
    assert [i.phantom for i in made.inputs[:10]] == [i.phantom for i in demo.INPUTS]
    assert patchsheet.show(desk, session).looks == []
    assert inputlists.preview(desk, session, TEN).changed == 0
    text, name = inputlists.export(desk, session)
    assert (text.count("\n"), name) == (11, "Barn_input-list.csv")
    assert inputlists.preview(desk, session, text).changed == 0
    history.undo(desk, session)
    assert the_patch(desk, session).tracks == ()
    assert not any(i.used for i in the_patch(desk, session).inputs)
    history.redo(desk, session)
    assert the_patch(desk, session) == made


def test_a_list_with_a_problem_is_not_half_imported(desk: Desk) -> None:
    session = sessions.create_session(desk, "Barn")
    before = the_patch(desk, session)
    with pytest.raises(Refusal, match=r"Line 12: .*Nothing of the list"):
        inputlists.take_over(desk, session, TEN + "\n3,Twice,,,,")
    assert the_patch(desk, session) == before
    assert words(desk, session) == []


def test_names_of_their_own_are_kept_by_a_list(desk: Desk) -> None:
    session = demo.load(desk)
    tracks.rename_track(desk, session, the_patch(desk, session).tracks[2].id, "Viola da spalla")
    inputlists.take_over(desk, session, "socket,name\n3,Violone\n5,Low reed")
    assert [t.name for t in the_patch(desk, session).tracks][2:5:2] == ["Viola da spalla", "Low reed"]


@settings(max_examples=12, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow], deadline=None)
@given(steps=st.lists(st.tuples(st.integers(0, 11), st.integers(1, 8)), min_size=1, max_size=8))
def test_undoing_everything_brings_back_the_beginning(desk: Desk, steps: list[tuple[int, int]]) -> None:
    session = sessions.create_session(desk, "Undo", template="shipped-ensemble")
    images = [the_patch(desk, session)]
    for kind, n in steps:
        now = images[-1]
        track = now.tracks[n % len(now.tracks)] if now.tracks else None
        if track is None:
            break
        group = now.groups[n % len(now.groups)].id if now.groups else None
        edits = [
            lambda: tracks.rename_track(desk, session, track.id, f"Name {n}"),  # noqa: B023
            lambda: tracks.add_tracks(desk, session, tracks.Wanted(2, n % 2 == 0, f"in:{n}")),  # noqa: B023
            lambda: tracks.remove_track(desk, session, track.id),  # noqa: B023
            lambda: tracks.duplicate(desk, session, track.id),  # noqa: B023
            lambda: tracks.set_pair(desk, session, track.id, n % 2 == 0),  # noqa: B023
            lambda: tracks.move_track(desk, session, track.id, n),  # noqa: B023
            lambda: inputs.exchange(desk, session, n, n + 3),  # noqa: B023
            lambda: inputs.unplug(desk, session, n, sure=True),  # noqa: B023
            lambda: routes.add_end(desk, session, "group", f"New {n}"),  # noqa: B023
            lambda: routes.remove_end(desk, session, "group", group) if group else None,  # noqa: B023
            lambda: routes.set_route(desk, session, track.key, now.mixes[n % 3].key, n % 2 == 0),  # noqa: B023
            lambda: inputs.switch(desk, session, n, "pad", n % 2 == 0),  # noqa: B023
        ]
        edits[kind]()
        after = the_patch(desk, session)
        if after != now:
            images.append(after)
    for image in reversed(images[:-1]):
        history.undo(desk, session)
        assert the_patch(desk, session) == image
    with pytest.raises(NotNow, match="nothing to undo"):
        history.undo(desk, session)
    for image in images[1:]:
        history.redo(desk, session)
        assert the_patch(desk, session) == image
    with pytest.raises(NotNow, match="nothing to redo"):
        history.redo(desk, session)


def test_a_new_edit_ends_redo_and_history_is_readable(desk: Desk) -> None:
    session = demo.load(desk)
    third = the_patch(desk, session).tracks[2].id
    tracks.feed_track(desk, session, third, 0, "in:12")
    assert words(desk, session) == ["Cello moved from socket 3 to 12"]
    assert history.undo(desk, session) == "Cello moved from socket 3 to 12"
    tracks.rename_track(desk, session, third, "Gamba")
    with pytest.raises(NotNow):
        history.redo(desk, session)
    assert words(desk, session) == ["Cello renamed to Gamba"]
    inputs.exchange(desk, session, 3, 4)
    assert words(desk, session)[0] == "Cello and Cello pickup changed places: sockets 3 and 4"
    made = the_patch(desk, session)
    assert (made.tracks[2].feeds, made.tracks[3].feeds) == (("in:4",), ("in:3",))
    assert made.input(4).gain_db == 28.0


def test_tracks_that_hold_takes_are_never_lost(desk: Desk) -> None:
    session = demo.load(desk)
    (made,) = tracks.add_tracks(desk, session, tracks.Wanted(feed="soft:beat:L", pair=True))
    tracks.arm_track(desk, session, made, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.5)
    for call in (
        lambda: tracks.feed_track(desk, session, made, 0, "in:3"), lambda: history.undo(desk, session),
        lambda: tracks.add_tracks(desk, session, tracks.Wanted()), lambda: routes.add_end(desk, session, "group"),
        lambda: inputs.exchange(desk, session, 1, 2), lambda: inputs.unplug(desk, session, 1),
        lambda: hardware.choose_interface(desk, session, "marshgate-2"), lambda: hardware.choose_rate(desk, session, 44100),
        lambda: inputlists.take_over(desk, session, TEN), lambda: tracks.duplicate(desk, session, made),
    ):
        with pytest.raises(NotNow, match="must wait"):
            call()
    inputs.set_text(desk, session, 3, "aim", "while capturing")
    transport.stop(desk, session)
    take = sheet.show(desk, session).rows[-1].takes[0]
    assert take.peak_dbfs > -12
    assert takes.take_file(desk, session, take.id).path.is_file()
    with pytest.raises(NotNow, match="holds 1 takes"):
        tracks.remove_track(desk, session, made)
    history.undo(desk, session)
    history.undo(desk, session)
    with pytest.raises(NotNow, match="holds takes by now"):
        history.undo(desk, session)
    with pytest.raises(NotNow, match="rate stays"):
        hardware.choose_rate(desk, session, 96000)
    assert len(sheet.show(desk, session).rows[-1].takes) == 1


def test_48_v_asks_by_pickup_and_goes_by_bank(desk: Desk) -> None:
    session = demo.load(desk)
    with pytest.raises(Sure, match="destroy"):
        inputs.switch(desk, session, 5, "phantom", True)
    with pytest.raises(Sure, match="falls silent"):
        inputs.switch(desk, session, 3, "phantom", False)
    inputs.switch(desk, session, 6, "phantom", True)
    with pytest.raises(Refusal, match="no preamp"):
        inputs.switch(desk, session, 13, "phantom", True)
    with pytest.raises(Sure) as why:
        inputs.unplug(desk, session, 3)
    assert why.value.yes == "Switch 48 V off, then unplug"
    inputs.unplug(desk, session, 3, sure=True)
    assert not the_patch(desk, session).input(3).phantom
    small = sessions.create_session(desk, "Small", sessions.Hardware("marshgate-2"), "shipped-spoken")
    inputs.set_pickup(desk, small, 2, "ribbon")
    with pytest.raises(Sure, match=r"Guest is noted as ribbon.*1\+2 share one switch"):
        inputs.switch(desk, small, 1, "phantom", True)
    inputs.switch(desk, small, 1, "phantom", True, sure=True)
    assert [i.phantom for i in the_patch(desk, small).inputs] == [True, True]


def test_the_later_of_two_people_sees_that_it_changed(desk: Desk) -> None:
    session = demo.load(desk)
    track = the_patch(desk, session).tracks[0].id
    tracks.rename_track(desk, session, track, "Hammer left", was="Dulcimer left")
    with pytest.raises(NotNow, match="is “Hammer left” now"):
        tracks.rename_track(desk, session, track, "Dulcimer L", was="Dulcimer left")
    with pytest.raises(NotNow, match=r"is \+28 now"):
        inputs.set_gain(desk, session, 3, 30, was=20.0)
    with pytest.raises(NotNow, match="fed otherwise"):
        tracks.feed_track(desk, session, track, 0, "in:4", was="in:2")
    assert the_patch(desk, session).tracks[0].name == "Hammer left"


def test_a_smaller_interface_loses_nothing(desk: Desk) -> None:
    session = demo.load(desk)
    before = the_patch(desk, session)
    sessions.open_session(desk, session)
    hardware.choose_interface(desk, session, "marshgate-2")
    assert the_patch(desk, session) == before
    page = patchsheet.show(desk, session)
    assert [r.number for r in patchsheet.sockets(page) if r.gone] == list(range(3, 11))
    assert any("which Marshgate 2 does not have" in f.text for f in page.looks)
    with desk.database.transaction() as db:
        plan = compile_plan(desk, get_session(db, session))
    assert [t.inputs for t in plan.tracks[:3]] == [(0,), (1,), (-1,)]
    assert desk.engine_state()["interface"]["plugged"] == {"1": "dulcimer, left", "2": "dulcimer, right"}
    hardware.choose_interface(desk, session, "marshgate-16")
    assert patchsheet.show(desk, session).looks == []


def test_a_profile_of_ones_own_and_one_that_is_gone(desk: Desk) -> None:
    desk.profiles_folder = desk.media.parent / "profiles"
    text = (profile_toml.SHIPPED / "marshgate-2.toml").read_text().replace("Marshgate 2", "Mine")
    assert hardware.keep_profile(desk, "My Box.toml", text.encode()).key == "my-box"
    for name, data, why in (("a.toml", b"name = 1", "line 1: name"), ("marshgate-2.toml", text.encode(), "comes with"),
                            ("b.toml", b"\xff\xfe", "UTF-8"), ("...toml", text.encode(), "letters and digits"),
                            ("c.toml", b"#" * 99_999, "short text file")):
        with pytest.raises(Refusal, match=why):
            hardware.keep_profile(desk, name, data)
    session = sessions.create_session(desk, "Own", sessions.Hardware("my-box"), "shipped-pair")
    (desk.profiles_folder / "my-box.toml").unlink()
    page = patchsheet.show(desk, session)
    assert "not here any more" in page.looks[0].text
    assert not sessions.has_profile(desk, session)
    with pytest.raises(NotFound, match="Nothing is lost"):
        sessions.open_session(desk, session)
    hardware.choose_interface(desk, session, "marshgate-16")
    assert the_patch(desk, session).tracks[0].feeds == ("in:1", "in:2")


def test_templates_and_copies_have_no_takes(desk: Desk) -> None:
    session = demo.load(desk)
    tracks.arm_all(desk, session, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.2)
    transport.stop(desk, session)
    templates.save(desk, session, "Our barn")
    with pytest.raises(NotNow, match="already"):
        templates.save(desk, session, " Our  barn ")
    (mine,) = (card for card in templates.cards(desk) if card.own)
    assert (mine.name, mine.holds) == ("Our barn", "10 tracks, 2 groups, 3 cue mixes")
    for made in (sessions.create_session(desk, "A", template=mine.key), sessions.copy_session(desk, session, "B")):
        shown = sheet.show(desk, made)
        assert (len(shown.rows), shown.armed, shown.runs) == (10, 0, [])
        assert patchsheet.show(desk, made).looks == []
        assert flow_names(desk, made) == flow_names(desk, session)
    templates.choose_default(desk, mine.key)
    assert [c.key for c in templates.cards(desk) if c.default] == [mine.key]
    templates.remove(desk, mine.key)
    assert [c.key for c in templates.cards(desk) if c.default] == ["empty"]


def flow_names(desk: Desk, session: int) -> set[tuple[str, str]]:
    drawn = patchsheet.show(desk, session).flow
    return {(drawn.name(a), drawn.name(b)) for a, b in drawn.links}


def test_layers_share_the_feed_and_are_spread(desk: Desk) -> None:
    session = sessions.create_session(desk, "Layers", template="shipped-spoken")
    first = the_patch(desk, session).tracks[0]
    tracks.duplicate(desk, session, first.id)
    made = the_patch(desk, session)
    assert [(t.name, t.feeds, t.pan) for t in made.tracks[:2]] == [("Host", ("in:1",), -0.5), ("Host 2", ("in:1",), 0.5)]
    assert {b for a, b in made.routes if a == made.tracks[1].key} == {b for a, b in made.routes if a == first.key}
    assert patchsheet.show(desk, session).looks == [], "a layer is meant to share its socket"


def test_every_cure_on_offer_can_be_taken(desk: Desk) -> None:
    session = sessions.create_session(desk, "Ill")
    inputlists.take_over(desk, session, "socket,name,pick-up,48 V\n1,Oud,condenser,no\n2,Reed,ribbon,yes\n3,Drum,dynamic,no")
    tracks.add_tracks(desk, session, tracks.Wanted(3, True, ""))
    tracks.add_tracks(desk, session, tracks.Wanted(1, False, "in:3"))
    routes.add_end(desk, session, "group")
    cue = routes.add_end(desk, session, "mix")
    routes.set_outputs(desk, session, cue, None)
    tracks.set_pair(desk, session, the_patch(desk, session).tracks[0].id, True)
    for _ in range(30):
        looks = patchsheet.show(desk, session).looks
        if not looks:
            break
        cure = looks[0].cure
        if cure is None:
            cures.apply(desk, session, "accept", {"key": looks[0].key})
        else:
            cures.apply(desk, session, cure.action, dict(cure.arguments))
        assert looks[0] not in patchsheet.show(desk, session).looks
    assert patchsheet.show(desk, session).looks == []
    assert patchsheet.show(desk, session).sheet.marks["patch"] == "settled"


def test_file_names_follow_the_pattern(desk: Desk) -> None:
    session = demo.load(desk)
    hardware.choose_names(desk, session, "ferry 7", "{code}_{socket}_{track}_{run}")
    tracks.arm_track(desk, session, the_patch(desk, session).tracks[2].id, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.2)
    transport.stop(desk, session)
    (take,) = sheet.show(desk, session).rows[2].takes
    assert take.file == "ferry-7_3_Cello_01.wav"


def feed_frames(desk: Desk, session: int, socket: int, level: float = -20.0) -> None:
    """As telemetry would: quiet, then sound at one socket."""
    for n in range(12):
        peaks = [-80.0] * 22
        if n > 5:
            peaks[socket - 1] = level
        linecheck.hear(desk, session, {"sockets": 16, "muted": False, "inputs": {"peak": peaks}})


def test_the_line_check_walks_swaps_and_remembers(desk: Desk) -> None:
    session = demo.load(desk)
    linecheck.begin(desk, session)
    wait_for(lambda: set(desk.engine_state()["interface"]["players"].values()) == {"rest"})
    feed_frames(desk, session, 1)
    live = desk.live.find(session, LiveWalk)
    assert live.words() == "Ask for sound at: Dulcimer right, socket 2."
    feed_frames(desk, session, 9)
    assert live.words() == "Heard at 9: swapped with Room left?"
    linecheck.swap_in_list(desk, session)
    made = the_patch(desk, session)
    assert (made.input(9).label, made.input(2).label) == ("Dulcimer right", "Room left")
    assert [i.socket for i in made.inputs if i.checked] == [1, 9]
    assert next(t for t in made.tracks if t.name == "Dulcimer right").feeds == ("in:9",)
    assert live.words() == "Ask for sound at: Cello, socket 3." or live.walk.asked.socket in (2, 3, 10)
    rows = {r.socket: r.state for r in patchsheet.check(desk, session, patchsheet.show(desk, session)).rows}
    assert (rows[1], rows[9]) == ("heard", "heard")
    linecheck.end(desk, session)
    linecheck.begin(desk, session)
    assert desk.live.find(session, LiveWalk).walk.done == {1, 9}, "ticks outlive the walk"
    while not desk.live.find(session, LiveWalk).walk.over:
        linecheck.step(desk, session, "tick")
    assert desk.live.find(session, LiveWalk).words() == "Every row was heard where it belongs."
    with desk.database.transaction() as db:
        assert {h.state for h in db.scalars(select(History).where(History.what.startswith("Line check")))} == {"fixed"}


def test_which_one_is_this_finds_the_loudest_new_row(desk: Desk) -> None:
    session = demo.load(desk)
    linecheck.which_is_this(desk, session)
    feed_frames(desk, session, 7)
    assert linecheck.look(desk, session).words == "Heard at socket 7: Harmonium"
    feed_frames(desk, session, 3)
    assert linecheck.look(desk, session).found == 7, "it listens once"


def test_a_session_of_many_tracks_is_refused_kindly(desk: Desk) -> None:
    session = sessions.create_session(desk, "Many")
    for _ in range(4):
        tracks.add_tracks(desk, session, tracks.Wanted(64))
    with pytest.raises(NotNow, match="256 tracks"):
        tracks.add_tracks(desk, session, tracks.Wanted(1))
    assert len(the_patch(desk, session).tracks) == 256


def test_edits_reach_the_engine(desk: Desk) -> None:
    session = demo.load(desk)
    sessions.open_session(desk, session)
    group = the_patch(desk, session).groups[0].id
    (made,) = tracks.add_tracks(desk, session, tracks.Wanted(1, True, f"group:{group}:L"))
    routes.set_outputs(desk, session, the_patch(desk, session).mixes[3].id, 11)
    with desk.database.transaction() as db:
        plan = compile_plan(desk, get_session(db, session))
    assert plan.taps == (group,)
    assert replace(plan.tracks[-1], inputs=()).name == "Strings"
    assert plan.tracks[-1].inputs == (22, 23)
    assert not [r for r in plan.routes if r[0] == f"track:{made}"], "a group's sum is not heard twice"
    wait_for(lambda: desk.engine_state()["revision"] == plan.revision)
