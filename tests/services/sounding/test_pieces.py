"""What sounds of takes, found once and kept until they change."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cattailer.core.comps.comppiece import CompPiece
from cattailer.core.comps.ontop import TakeSpan, topmost
from cattailer.core.takes.pieces import Piece
from cattailer.engine.messages.commands import RunPlan
from cattailer.services.desk.desk import Desk
from cattailer.services.desk.places import folder_of
from cattailer.services.running import frame
from cattailer.services.session import inputs, opening, tracks
from cattailer.services.session.reading import get_session
from cattailer.services.sounding.meetings import meets_of
from cattailer.services.sounding.pieces import pieces_of
from cattailer.services.stages.capture import lanes, show
from cattailer.services.stages.takes import show as takes_show
from cattailer.store.models import Take
from tests.helpers.queries import queries
from tests.helpers.sessions import capture_for, make_takes, more_takes, rows_of


def slow_topmost(spans: list[TakeSpan]) -> dict[int, tuple[int, int]]:
    """By position, sample by sample: (take, place in its file) of the newest that lies there."""
    out: dict[int, tuple[int, int]] = {}
    for span in sorted(spans, key=lambda s: s.order):
        for n in range(span.samples):
            out[span.start + n] = (span.take, span.offset + n)
    return out


@given(st.lists(st.tuples(st.integers(-30, 60), st.integers(0, 40), st.integers(0, 9)), max_size=12))
def test_the_newest_lies_on_top_sample_by_sample(made: list[tuple[int, int, int]]) -> None:
    spans = [TakeSpan(n, start, length, n, offset) for n, (start, length, offset) in enumerate(made, 1)]
    found = topmost(spans)
    assert {p.start + n: (p.take, p.offset + n) for p in found for n in range(p.samples)} == slow_topmost(spans)
    assert all(a.start + a.samples <= b.start for a, b in zip(found, found[1:], strict=False))
    assert all(a.take != b.take or a.start + a.samples < b.start for a, b in zip(found, found[1:], strict=False))


def test_what_a_click_costs_does_not_grow_with_takes(desk: Desk) -> None:
    session = make_takes(desk)
    costs = []
    for runs in (0, 40):
        if runs:
            more_takes(desk, session, runs)
            opening.open_session(desk, session)
        pieces_now(desk, session)
        steps = {
            "edit": lambda: inputs.set_gain(desk, session, 1, 20.0 + len(costs)),
            "capture": lambda: show.show(desk, session), "frame": lambda: frame.show(desk, session),
            "lanes": lambda: lanes.waveforms(desk, session, 0, 48_000, 100),
            "drops": lambda: lanes.dropouts(desk, session, 0, 48_000), "takes": lambda: takes_show.show(desk, session),
        }
        costs.append({})
        for name, step in steps.items():
            with queries(desk.database) as sent:
                step()
            costs[-1][name] = len(sent)
    before, after = costs
    assert after == {**before, "drops": after["drops"]}
    assert after["drops"] <= 4
    shown = takes_show.show(desk, session).rows
    assert [len(row.takes) for row in shown] == [takes_show.LISTED] * len(shown)
    assert shown[0].older == 41 - takes_show.LISTED
    whole = takes_show.show(desk, session, shown[0].id).rows
    assert (len(whole[0].takes), whole[0].older) == (41, 0)
    assert len(frame.show(desk, session).deck.runs) == 20


def pieces_now(desk: Desk, session: int) -> tuple[Piece, ...]:
    with desk.database.transaction() as db:
        return pieces_of(desk, get_session(db, session))


def test_what_sounds_is_worked_out_once_and_travels_once(desk: Desk) -> None:
    session = make_takes(desk)
    asked: list[RunPlan] = []
    ask = desk.engine.ask

    def listening(command, timeout_s=None):  # type: ignore[no-untyped-def]
        if isinstance(command, RunPlan):
            asked.append(command)
        return ask(command, timeout_s)

    desk.engine.ask = listening  # type: ignore[method-assign]
    first = pieces_now(desk, session)
    assert first
    inputs.set_gain(desk, session, 1, 21.0)
    tracks.rename_track(desk, session, rows_of(desk, session)[0].id, "Other")
    assert pieces_now(desk, session) is first
    assert [command.pieces for command in asked] == [None, None]
    capture_for(desk, session, 0.1)
    assert pieces_now(desk, session) is not first
    assert asked[-1].pieces is not None


@pytest.mark.without_engine
def test_a_join_is_listened_to_again_once_its_file_is_there(desk: Desk) -> None:
    session = make_takes(desk)
    with desk.database.transaction() as db:
        of, take = get_session(db, session), db.query(Take).first()
        assert take is not None
        one, a_sample_on = CompPiece(take.id, 0, 4800, 0), CompPiece(take.id, 4800, 4800, 4801)
        file = folder_of(desk, of) / take.media.path
        away = file.rename(file.with_suffix(".away"))
        assert meets_of(desk, of)(one, a_sample_on, 0).alike == 0
        away.rename(file)
        assert meets_of(desk, of)(one, a_sample_on, 0).alike > 0.5
