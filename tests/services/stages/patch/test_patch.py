"""What people do on the Patch stage, with a real database."""

import pytest

from cattailer.core.errors import Refusal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, transport
from cattailer.services.session import demo, sessions, tracks
from cattailer.services.stages.patch import cures, inputlists, names, routes, show
from tests.helpers.sessions import stop, takes_of, the_patch, words
from tests.helpers.waiting import pass_time

TEN = "socket,name,source,pick-up,48 V,notes\n" + "\n".join(
    f"{i.socket},{i.name},{i.name.lower()},{i.pickup},{'yes' if i.phantom else 'no'},{i.note.split(',')[0]}" for i in demo.INPUTS
)


@pytest.mark.without_engine
def test_a_list_with_a_problem_is_not_half_imported(desk: Desk) -> None:
    session = sessions.create_session(desk, "Barn")
    before = the_patch(desk, session)
    with pytest.raises(Refusal, match=r"Line 12: .*Nothing of the list"):
        inputlists.take_over(desk, session, TEN + "\n3,Twice,,,,")
    assert the_patch(desk, session) == before
    assert words(desk, session) == []


@pytest.mark.without_engine
def test_names_of_their_own_are_kept_by_a_list(desk: Desk) -> None:
    session = demo.load(desk)
    tracks.rename_track(desk, session, the_patch(desk, session).tracks[2].id, "Viola da spalla")
    inputlists.take_over(desk, session, "socket,name\n3,Violone\n5,Low reed")
    assert [t.name for t in the_patch(desk, session).tracks][2:5:2] == ["Viola da spalla", "Low reed"]


@pytest.mark.without_engine
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
        looks = show.show(desk, session).looks
        if not looks:
            break
        cure = looks[0].cure
        if cure is None:
            cures.apply(desk, session, "accept", {"key": looks[0].key})
        else:
            cures.apply(desk, session, cure.action, dict(cure.arguments))
        assert looks[0] not in show.show(desk, session).looks
    assert show.show(desk, session).looks == []
    assert show.show(desk, session).frame.marks["patch"] == "settled"


def test_file_names_follow_the_pattern(desk: Desk) -> None:
    session = demo.load(desk)
    names.choose_names(desk, session, "ferry 7", "{code}_{socket}_{track}_{run}")
    arming.arm_track(desk, session, the_patch(desk, session).tracks[2].id, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.2)
    stop(desk, session)
    (take,) = takes_of(desk, session, 2)
    assert take.file == "ferry-7_3_Cello_01.wav"
