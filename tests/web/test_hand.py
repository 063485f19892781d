"""What a page moves: the newest of a moment is heard, and written down when it is let go or left alone."""

import asyncio
import json
from concurrent.futures import ThreadPoolExecutor

import pytest

from cattailer.core.errors import Refusal
from cattailer.core.mix.effects import Effects, Equaliser
from cattailer.core.mix.moving import Move
from cattailer.core.mix.stepping import Step
from cattailer.services.desk.desk import Desk
from cattailer.services.session import demo
from cattailer.services.session.opening import open_session
from cattailer.services.session.sessions import create_session
from cattailer.store.models import Track
from cattailer.web.live import hand as hands
from cattailer.web.live.hand import Hand
from cattailer.web.live.line import Line
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
    monkeypatch.setattr(hands, "FORGOTTEN_S", -1.0)
    assert hand.forgotten
    hand.let_go()
    assert not hand.forgotten
    assert words(desk, session) == ["Dulcimer left fader −3.0 dB", *before]
    hand.let_go()
    assert words(desk, session) == ["Dulcimer left fader −3.0 dB", *before]
    assert plan_of(desk, session).tracks[0].fader_db == -3.0
    hand.move([Move("track:999", "", "fader_db", 0.0)])
    hand.send()
    with pytest.raises(Refusal, match="no track with the number 999"):
        hand.let_go()
    hand.let_go()
    assert words(desk, session) == ["Dulcimer left fader −3.0 dB", *before]


def test_steps_of_two_pages_add_up_heard_or_not(desk: Desk) -> None:
    session = demo.load(desk)
    open_session(desk, session)
    track = the_patch(desk, session).tracks[0]
    hands_of = [Hand(desk, session), Hand(desk, session)]
    for _ in range(8):
        for hand in hands_of:
            hand.move([Step(track.key, "", "fader_db", -1.0)])
            hand.send()
    for hand in hands_of:
        hand.let_go()
    assert plan_of(desk, session).tracks[0].fader_db == -16.0
    other = create_session(desk, "Elsewhere")
    open_session(desk, other)
    hands_of[0].move([Move(track.key, "", "fader_db", -3.0), Step(track.key, "", "fader_db", 1.0)])
    hands_of[0].let_go()
    assert plan_of(desk, session).tracks[0].fader_db == -2.0, "another session is open: written down all the same"


def test_what_the_engine_does_not_have_yet_is_written_down(desk: Desk) -> None:
    session = demo.load(desk)
    open_session(desk, session)
    track = the_patch(desk, session).tracks[0]
    with desk.database.transaction() as db:
        row = db.get(Track, track.id)
        assert row is not None
        row.effects = Effects(Equaliser()).to_dict()
    hand = Hand(desk, session)
    for _ in range(3):
        hand.move([Step(track.key, "", "eq.one_db", 0.5)])
        hand.send()
    hand.let_go()
    assert plan_of(desk, session).tracks[0].effects.eq == Equaliser(one_db=1.5)


def test_what_a_page_said_just_before_it_went_is_heard(desk: Desk) -> None:
    session = demo.load(desk)
    open_session(desk, session)
    track = the_patch(desk, session).tracks[0]
    said = [{"move": [[track.key, "", "fader_db", -7.0]]}, {"settle": True}, {"move": [[track.key, "", "fader_db", -8.0]]}]

    async def receive() -> dict[str, object]:
        return {"type": "websocket.receive", "text": json.dumps(said.pop(0))} if said else {"type": "websocket.disconnect"}

    async def send(message: dict[str, object]) -> None:
        raise AssertionError(message)

    async def come_and_go() -> None:
        with ThreadPoolExecutor() as threads:
            line = Line(desk, session, threads, send)
            assert await line.read(receive) == 0
            await line.leave()

    asyncio.run(come_and_go())
    assert plan_of(desk, session).tracks[0].fader_db == -8.0
