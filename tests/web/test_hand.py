"""What a page moves: the newest of a moment is heard, and written down when it is let go or left alone."""

import json

import pytest
from simple_websocket import ConnectionClosed

from cattailer.core.errors import Refusal
from cattailer.core.mix.moving import Move
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.session.opening import open_session
from cattailer.web import live
from cattailer.web.live import Hand
from tests.helpers.sessions import plan_of, the_patch, words


def test_moves_are_heard_and_written_down_once(desk: Desk, monkeypatch: pytest.MonkeyPatch) -> None:
    session = demo.load(desk)
    open_session(desk, session)
    track = the_patch(desk, session).tracks[0]
    hand, before = Hand(desk, session), words(desk, session)
    for level in (-1.0, -2.0, -3.0):
        hand.move([Move(track.key, "", "fader_db", level)])
    hand.send()
    assert words(desk, session) == before, "nothing is written down on the way"
    assert not hand.forgotten
    monkeypatch.setattr(live, "FORGOTTEN_S", -1.0)
    assert hand.forgotten
    hand.let_go()
    assert not hand.forgotten
    assert words(desk, session) == ["Dulcimer left fader −3.0 dB", *before]
    hand.let_go()
    assert words(desk, session) == ["Dulcimer left fader −3.0 dB", *before]
    assert plan_of(desk, session).tracks[0].fader_db == -3.0
    hand.move([Move("track:999", "", "fader_db", 0.0)])
    with pytest.raises(Refusal, match="not there any more"):
        hand.send()
    hand.let_go()
    assert words(desk, session) == ["Dulcimer left fader −3.0 dB", *before]


def test_what_a_page_said_just_before_it_went_is_heard(desk: Desk) -> None:
    session = demo.load(desk)
    open_session(desk, session)
    track = the_patch(desk, session).tracks[0]

    class Gone:
        said = [json.dumps({"move": [[track.key, "", "fader_db", -7.0]]}), json.dumps({"settle": True})]

        def receive(self, timeout: float) -> str:
            if not self.said:
                raise ConnectionClosed
            return self.said.pop(0)

    hand = Hand(desk, session)
    live._hear_out(Gone(), hand)  # type: ignore[arg-type]
    hand.leave()
    assert plan_of(desk, session).tracks[0].fader_db == -7.0
