"""The click of a session: when, how and for whom it sounds, where it is silent, and what is counted in."""

from dataclasses import dataclass, replace
from pathlib import Path

from cattailer.core.errors import Refusal
from cattailer.core.time.clicking import MOST_BEATS, ClickSettings
from cattailer.core.wording import counted
from cattailer.engine.messages.commands import GetStatus, PrintClick
from cattailer.media import journal
from cattailer.services.desk.desk import Desk
from cattailer.services.running import runs
from cattailer.services.running.click import edit_click
from cattailer.services.running.runheader import written_run
from cattailer.services.session import tracks
from cattailer.services.session.opening import need_open
from cattailer.services.session.reading import get_session
from cattailer.services.session.rows import tempo_of
from cattailer.services.sounding.pieces import end_of_takes

PRINTED = "Click"
MOST_PRINTED_S = 2 * 3600


@dataclass(frozen=True)
class ClickView:
    """``mixes`` are (id, name, whether it gets the click); ``last_bar`` is the bar in which the last take ends;
    ``beats`` says what each beat of the first meter is."""

    plan: ClickSettings
    mixes: list[tuple[int, str, bool]]
    last_bar: int
    beats: list[str]


def show(desk: Desk, session_id: int) -> ClickView:
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        plan = ClickSettings.from_dict(session.clicking)
        mixes = [(m.id, m.name, not plan.mixes or m.id in plan.mixes) for m in session.mixes]
        tempo = tempo_of(session)
        beats = [plan.beat_is(n) for n in range(1, min(tempo.meters[0].beats, MOST_BEATS) + 1)]
        return ClickView(plan, mixes, tempo.bar_beat_at(end_of_takes(session)).bar, beats)


def change(desk: Desk, session_id: int, wanted: dict[str, object]) -> None:
    """When the click sounds, how, in which mixes, and what is counted in. It may change while the timeline moves.

    Raises Refusal, also for no mix at all.
    """
    if "mixes" in wanted and not wanted["mixes"]:
        raise Refusal("The click is heard in one mix at least; P switches it off. It stays as it was.")

    def made(plan: ClickSettings) -> ClickSettings:
        return ClickSettings.from_dict({**plan.to_dict(), **wanted})

    edit_click(desk, session_id, made, lambda p: "Click: " + ", ".join(filter(None, (
        f"while {p.when}" if p.when != "both" else "", p.sound, f"{p.level_db:g} dB",
        f"{p.subdivision} to a beat" if p.subdivision > 1 else "",
        f"{counted(p.count_bars, 'bar')} counted in" if p.count_bars else "",
    ))))


def step_beat(desk: Desk, session_id: int, beat: int) -> None:
    """A beat of the first meter made the next of strong, plain, soft, off."""
    with desk.database.transaction() as db:
        of = tempo_of(get_session(db, session_id)).meters[0].beats
    edit_click(
        desk, session_id, lambda p: p.with_beat_stepped(beat, of), lambda p: f"Click: beat {beat} is {p.beat_is(beat)}"
    )


def silence(desk: Desk, session_id: int, first: int, until: int) -> None:
    """No click from a bar until a later one; 0 is until the end."""
    words = f"No click from bar {first} on" if not until else f"No click from bar {first} until bar {until}"
    edit_click(desk, session_id, lambda p: p.silenced(first, until), lambda _: words)


def stop_here(desk: Desk, session_id: int) -> None:
    """The click stops for good at the bar that begins next, or where the clock stands on a bar line, there."""
    with desk.database.transaction() as db:
        tempo = tempo_of(get_session(db, session_id))
    position = desk.engine.ask(GetStatus()).position
    bar = tempo.bar_beat_at(position).bar
    silence(desk, session_id, max(1, bar if tempo.sample_of(bar) == position else bar + 1), 0)


def unsilence(desk: Desk, session_id: int, first: int) -> None:
    """The stretch that begins at a bar has its click again."""
    def made(plan: ClickSettings) -> ClickSettings:
        return replace(plan, silences=tuple(s for s in plan.silences if s[0] != first))

    edit_click(desk, session_id, made, lambda _: f"Click goes on at bar {first}")


def print_click(desk: Desk, session_id: int, first: int, until: int) -> None:
    """Writes the click from one bar until another as a take of a track of its own, which no mix gets.

    Raises Refusal for bars that are not there, NotNow while a capture runs.
    """
    desk.forbid_while_capturing(session_id, "the printed click")
    need_open(desk, session_id)
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        tempo = tempo_of(session)
        printed = next((t.id for t in session.tracks if t.name == PRINTED and not any(t.feeds)), None)
    if not 1 <= first < until <= 100_000:
        raise Refusal("The click is printed from a bar until a later one; nothing was written.")
    start, stop = tempo.sample_of(first), tempo.sample_of(until)
    if start < 0 or stop - start > MOST_PRINTED_S * tempo.rate_hz:
        raise Refusal("At most two hours of click can be printed, from 0 of the timeline on; nothing was written.")
    track_id = printed or tracks.add_silent(desk, session_id, PRINTED)
    with desk.database.transaction() as db:
        session = get_session(db, session_id)
        header, folder, stem = written_run(desk, db, session, [track_id], start, "click printed")
    answer = desk.engine.ask(PrintClick(journal.plain_header(header), str(folder), stem, stop - start), 120.0)
    runs.enter_finished(desk, [Path(answer.journal)])
