"""Undo, redo and the history in words."""

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from cattailer.core.errors import NotNow
from cattailer.services.desk.desk import Desk
from cattailer.services.running import arming, transport
from cattailer.services.session import demo, hardware, history, inputs, rate, sessions, tracks
from cattailer.services.stages.patch import inputlists, routes
from cattailer.services.stages.takes import files
from tests.helpers.sessions import stop, takes_of, the_patch, words
from tests.helpers.waiting import pass_time

TEN = "socket,name,source,pick-up,48 V,notes\n" + "\n".join(
    f"{i.socket},{i.name},{i.name.lower()},{i.pickup},{'yes' if i.phantom else 'no'},{i.note.split(',')[0]}" for i in demo.INPUTS
)


@pytest.mark.without_engine
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


@pytest.mark.without_engine
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
    arming.arm_track(desk, session, made, True)
    transport.capture(desk, session)
    pass_time(desk.engine, 0.5)
    for call in (
        lambda: tracks.feed_track(desk, session, made, 0, "in:3"), lambda: history.undo(desk, session),
        lambda: tracks.add_tracks(desk, session, tracks.Wanted()), lambda: routes.add_end(desk, session, "group"),
        lambda: inputs.exchange(desk, session, 1, 2), lambda: inputs.unplug(desk, session, 1),
        lambda: hardware.choose_interface(desk, session, "marshgate-2"), lambda: rate.choose_rate(desk, session, 44100),
        lambda: inputlists.take_over(desk, session, TEN), lambda: tracks.duplicate(desk, session, made),
    ):
        with pytest.raises(NotNow, match="must wait"):
            call()
    inputs.set_text(desk, session, 3, "aim", "while capturing")
    stop(desk, session)
    take = takes_of(desk, session, -1)[0]
    assert take.peak_dbfs > -12
    assert files.take_file(desk, session, take.id).path.is_file()
    with pytest.raises(NotNow, match="holds 1 take,"):
        tracks.remove_track(desk, session, made)
    for _ in ("the capture", "the aim", "armed"):
        history.undo(desk, session)
    with pytest.raises(NotNow, match="holds takes by now"):
        history.undo(desk, session)
    for _ in range(3):
        history.redo(desk, session)
    with pytest.raises(NotNow, match="rate stays"):
        rate.choose_rate(desk, session, 96000)
    assert len(takes_of(desk, session, -1)) == 1
