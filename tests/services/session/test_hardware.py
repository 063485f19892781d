"""Interfaces, profiles and preamps."""

import pytest

from cattailer.core.errors import NotFound, NotNow, Refusal, Sure
from cattailer.media import profile_toml
from cattailer.services.desk import standin
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo, hardware, inputs, opening, sessions, tracks
from cattailer.services.session.compiling import compile_plan
from cattailer.services.session.reading import get_session
from cattailer.services.stages.patch import profiles, show
from tests.helpers.sessions import the_patch

pytestmark = pytest.mark.without_engine


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


@pytest.mark.with_engine
def test_a_smaller_interface_loses_nothing(desk: Desk) -> None:
    session = demo.load(desk)
    before = the_patch(desk, session)
    opening.open_session(desk, session)
    hardware.choose_interface(desk, session, "marshgate-2")
    assert the_patch(desk, session) == before
    page = show.show(desk, session)
    assert [r.number for r in show.sockets(page) if r.gone] == list(range(3, 11))
    assert any("which Marshgate 2 does not have" in f.text for f in page.looks)
    with desk.database.transaction() as db:
        plan = compile_plan(desk, get_session(db, session))
    assert [t.inputs for t in plan.tracks[:3]] == [(0,), (1,), (-1,)]
    assert standin.room_of(desk).plugged == {1: "dulcimer, left", 2: "dulcimer, right"}
    hardware.choose_interface(desk, session, "marshgate-16")
    assert show.show(desk, session).looks == []


def test_a_profile_of_ones_own_and_one_that_is_gone(desk: Desk) -> None:
    desk.profiles_folder = desk.media.parent / "profiles"
    text = (profile_toml.SHIPPED / "marshgate-2.toml").read_text().replace("Marshgate 2", "Mine")
    assert profiles.keep_profile(desk, "My Box.toml", text.encode()).key == "my-box"
    for name, data, why in (("a.toml", b"name = 1", "line 1: name"), ("marshgate-2.toml", text.encode(), "comes with"),
                            ("b.toml", b"\xff\xfe", "UTF-8"), ("...toml", text.encode(), "letters and digits"),
                            ("c.toml", b"#" * 99_999, "short text file")):
        with pytest.raises(Refusal, match=why):
            profiles.keep_profile(desk, name, data)
    session = sessions.create_session(desk, "Own", sessions.Hardware("my-box"), "shipped-pair")
    (desk.profiles_folder / "my-box.toml").unlink()
    page = show.show(desk, session)
    assert "not here any more" in page.looks[0].text
    assert not opening.has_profile(desk, session)
    with pytest.raises(NotFound, match="Nothing is lost"):
        opening.open_session(desk, session)
    hardware.choose_interface(desk, session, "marshgate-16")
    assert the_patch(desk, session).tracks[0].feeds == ("in:1", "in:2")
