"""The comp sheet: its page, and what is chosen, marked and laid out on it."""

from flask import Blueprint, Response, jsonify, render_template
from pydantic import Field

from cattailer.services.session import trying
from cattailer.services.stages.takes import cells, choosing, closeup, hearing, phrasing, sheet, waves, writing
from cattailer.web.forms import Form, Number, Text, desk, done, form, query
from cattailer.web.shell import render

blueprint = Blueprint("sheet", __name__, url_prefix="/s/<int:session_id>/takes/sheet")


class Shown(Form):
    """Of which track, and whether every take of it."""

    track: Number = 0
    every: bool = False


class Drawn(Form):
    """Takes as numbers with commas between them."""

    takes: Text = ""
    columns: int = Field(default=48, ge=1, le=600)


class Used(Form):
    track: Number
    columns: int = Field(default=48, ge=1, le=600)


class Cell(Form):
    take: Number
    phrase: Number = 0


class Chosen(Cell):
    """In place of what is heard there, or together with it."""

    layered: bool = False


class Rated(Cell):
    rating: Text


class Noted(Cell):
    note: Text = ""
    was: Text | None = None


class Folded(Form):
    run: Number
    folded: bool


class LaidOut(Form):
    way: Text
    bars: int = Field(default=8, ge=0, le=1000)
    track: Number = 0


class DrawnPhrase(Form):
    first: Text
    last: Text
    name: Text = ""


class Named(Form):
    name: Text = ""
    was: Text | None = None


class Ends(Form):
    first: Text
    last: Text


class OnTrack(Form):
    track: Number


class MadeComp(OnTrack):
    name: Text = ""


class UsedComp(OnTrack):
    comp: Number = 0


class WrittenOut(Form):
    as_it_lies: bool = False


class Together(OnTrack):
    other: Number


@blueprint.get("/")
def stage(session_id: int) -> str:
    wish = query(Shown)
    shown = sheet.show(desk(), session_id, wish.track, wish.every)
    return render("takes", shown.frame, view="sheet", page=shown, every=wish.every)


@blueprint.get("/rows")
def rows(session_id: int) -> str:
    wish = query(Shown)
    shown = sheet.show(desk(), session_id, wish.track, wish.every)
    return render("takes", shown.frame, view="sheet", again=True, page=shown, every=wish.every)


@blueprint.get("/cell")
def cell(session_id: int) -> str:
    wish = query(Cell)
    return render_template("takes/parts/cell.html", cell=closeup.of_cell(desk(), session_id, wish.take, wish.phrase),
                           session_id=session_id)


@blueprint.get("/waves")
def take_waves(session_id: int) -> Response:
    wish = query(Drawn)
    numbers = [int(n) for n in wish.takes.split(",") if n.isdecimal() and len(n) < 10]
    return jsonify(waves.of_takes(desk(), session_id, numbers, wish.columns))


@blueprint.get("/used")
def used_wave(session_id: int) -> Response:
    wish = query(Used)
    return jsonify(waves.in_use(desk(), session_id, wish.track, wish.columns))


@blueprint.post("/choose")
def choose(session_id: int) -> Response:
    wish = form(Chosen)
    choosing.choose(desk(), session_id, wish.take, wish.phrase, wish.layered)
    return done()


@blueprint.post("/hear")
def hear(session_id: int) -> Response:
    wish = form(Cell)
    hearing.hear(desk(), session_id, wish.take, wish.phrase)
    return done()


@blueprint.post("/hear/end")
def end_hearing(session_id: int) -> Response:
    trying.end(desk(), session_id)
    return done()


@blueprint.post("/rate")
def rate(session_id: int) -> Response:
    wish = form(Rated)
    cells.rate(desk(), session_id, wish.take, wish.phrase, wish.rating)
    return done()


@blueprint.post("/note")
def note(session_id: int) -> Response:
    wish = form(Noted)
    cells.note(desk(), session_id, wish.take, wish.phrase, wish.note, wish.was)
    return done()


@blueprint.post("/fold")
def fold(session_id: int) -> Response:
    wish = form(Folded)
    cells.fold(desk(), session_id, wish.run, wish.folded)
    return done()


@blueprint.post("/fold/unused")
def fold_unused(session_id: int) -> Response:
    cells.fold_unused(desk(), session_id, form(OnTrack).track)
    return done()


@blueprint.get("/paper")
def paper(session_id: int) -> str:
    """The sheet on paper: every take of a track, its marks and notes."""
    shown = sheet.show(desk(), session_id, query(Shown).track, every=True)
    return render_template("takes/parts/paper.html", page=shown, frame=shown.frame)


@blueprint.post("/phrases")
def lay_out(session_id: int) -> Response:
    wish = form(LaidOut)
    phrasing.lay_out(desk(), session_id, wish.way, wish.bars, wish.track)
    return done()


@blueprint.post("/phrases/draw")
def draw(session_id: int) -> Response:
    wish = form(DrawnPhrase)
    phrasing.draw(desk(), session_id, wish.first, wish.last, wish.name)
    return done()


@blueprint.post("/phrases/<int:phrase_id>/name")
def name_phrase(session_id: int, phrase_id: int) -> Response:
    wish = form(Named)
    phrasing.rename(desk(), session_id, phrase_id, wish.name, wish.was)
    return done()


@blueprint.post("/phrases/<int:phrase_id>/ends")
def phrase_ends(session_id: int, phrase_id: int) -> Response:
    wish = form(Ends)
    phrasing.set_ends(desk(), session_id, phrase_id, wish.first, wish.last)
    return done()


@blueprint.post("/phrases/<int:phrase_id>/split")
def split_phrase(session_id: int, phrase_id: int) -> Response:
    phrasing.split(desk(), session_id, phrase_id)
    return done()


@blueprint.post("/phrases/<int:phrase_id>/join")
def join_phrases(session_id: int, phrase_id: int) -> Response:
    phrasing.join(desk(), session_id, phrase_id)
    return done()


@blueprint.post("/phrases/<int:phrase_id>/remove")
def remove_phrase(session_id: int, phrase_id: int) -> Response:
    phrasing.remove(desk(), session_id, phrase_id)
    return done()


@blueprint.post("/comps")
def make_comp(session_id: int) -> Response:
    wish = form(MadeComp)
    choosing.make(desk(), session_id, wish.track, wish.name)
    return done()


@blueprint.post("/comps/use")
def use_comp(session_id: int) -> Response:
    wish = form(UsedComp)
    choosing.use(desk(), session_id, wish.track, wish.comp)
    return done()


@blueprint.post("/comps/compare")
def compare(session_id: int) -> Response:
    choosing.compare(desk(), session_id, form(OnTrack).track)
    return done()


@blueprint.post("/comps/<int:comp_id>/name")
def name_comp(session_id: int, comp_id: int) -> Response:
    wish = form(Named)
    choosing.rename(desk(), session_id, comp_id, wish.name, wish.was)
    return done()


@blueprint.post("/comps/<int:comp_id>/remove")
def remove_comp(session_id: int, comp_id: int) -> Response:
    choosing.remove(desk(), session_id, comp_id)
    return done()


@blueprint.post("/write")
def write(session_id: int) -> Response:
    writing.begin(desk(), session_id, form(WrittenOut).as_it_lies)
    return done()


@blueprint.post("/write/stop")
def stop_writing(session_id: int) -> Response:
    writing.stop(desk(), session_id)
    return done()


@blueprint.get("/write")
def written(session_id: int) -> str:
    return render_template("takes/parts/written.html", writing=writing.state(desk(), session_id), session_id=session_id)


@blueprint.post("/together")
def together(session_id: int) -> Response:
    wish = form(Together)
    choosing.put_together(desk(), session_id, wish.track, wish.other)
    return done()
