"""Keys that edit, pressed fast and from two pages at once: every press counts, and what is chosen stays chosen."""

import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect

from cattailer.core.mix.moving import LEVEL
from tests.helpers.studio import Studio, imported, new_session, open_demo, state_is, told
from tests.helpers.waiting import wait_for

RATE, PRESSES, APART_MS = 48000, 8, 50


@pytest.fixture
def session(page: Page, studio: Studio, tmp_path: Path) -> str:
    address = new_session(page, studio, "Keys")
    soundfile.write(tmp_path / "rain.wav", np.random.default_rng(1).uniform(-0.2, 0.2, RATE * 12), RATE, "PCM_24")
    imported(studio, address, tmp_path / "rain.wav")
    return address


def press_on_both(pages: list[Page], key: str) -> None:
    """In both pages at once, in the pages' own time."""
    for page in pages:
        page.evaluate(
            """([key, presses, apart]) => { for (let n = 0; n < presses; n += 1) setTimeout(() =>
               document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true })), n * apart); }""",
            [key, PRESSES, APART_MS],
        )


def starts(page: Page) -> list[int]:
    return page.evaluate("[...document.querySelectorAll('.piece-line')].map((line) => Number(line.dataset.start))")


def test_nudges_of_two_pages_add_up_and_the_choice_stays(
    page: Page, other: Page, studio: Studio, session: str
) -> None:
    track = page.request.get(f"{session}/takes/cut/").text().split('data-track="')[1].split('"')[0]
    path = session.removeprefix(studio.url)
    for at in (RATE * 4, RATE * 8):
        studio.post(f"{path}/takes/cut/split", track=track, at=str(at))
    pages = [page, other]
    said: list[str] = []
    for each in pages:
        each.goto(f"{session}/takes/cut/?track={track}")
        told(each)
        each.on("response", lambda r: said.append(f"{r.status} {r.url}") if r.status >= 400 else None)
        each.keyboard.press("ArrowRight")
        each.keyboard.press("ArrowRight")
        expect(each.locator('.piece-line[aria-current="true"]')).to_have_attribute("data-piece", "2")
    both = 2 * PRESSES * RATE // 1000
    for key, first, second in (("]", RATE * 4, RATE * 4 + both), ("[", RATE * 4 + both, RATE * 4)):
        assert starts(page)[1] == first
        press_on_both(pages, key)
        for each in pages:
            expect(each.locator('[data-piece="2"]')).to_have_attribute("data-start", str(second))
            expect(each.locator('.piece-line[aria-current="true"]')).to_have_attribute("data-piece", "2")
        assert len(starts(page)) == 3
    assert said == [], "nobody is told that another page was faster"
    # A piece that is erased is chosen no longer, and no other one for it.
    press_on_both(pages, "Delete")
    for each in pages:
        expect(each.locator(".piece-line")).to_have_count(2)
        expect(each.locator('.piece-line[aria-current="true"]')).to_have_count(0)
    for _ in range(2):
        page.keyboard.press("Control+z")
    expect(page.locator('[data-piece="2"]')).to_have_attribute("data-start", str(RATE * 4 + RATE // 1000))


def test_a_key_in_the_comp_sheet_acts_on_the_cell_under_it_however_fast_it_comes(
    page: Page, other: Page, studio: Studio, session: str
) -> None:
    """What stands beside lags behind whoever walks on at once."""
    studio.post(f"{session.removeprefix(studio.url)}/takes/sheet/phrases", way="bars", bars="1")
    pages = [page, other]
    for each in pages:
        each.goto(f"{session}/takes/sheet/")
        told(each)
    cells = page.locator(".sheet-cell")
    cells.nth(0).focus()
    for key in ("+", "ArrowRight", "/", "ArrowRight", "-", "ArrowRight", "+"):
        page.keyboard.press(key)
    for each in pages:
        for place, rating in enumerate(("good", "maybe", "no", "good")):
            expect(each.locator(".sheet-cell").nth(place)).to_have_accessible_name(re.compile(rating))
    said: list[str] = []
    for each, place in ((page, 1), (other, 2)):
        each.on("response", lambda r: said.append(f"{r.status} {r.url}") if r.status >= 400 else None)
        each.locator(".sheet-cell").nth(place).focus()
    press_on_both(pages, "v")
    for each in pages:
        for place in (1, 2):
            expect(each.locator(".sheet-cell").nth(place)).to_have_accessible_name(re.compile("in use"))
    assert said == []


@pytest.mark.parametrize(("view", "where", "key", "way", "by"), [
    ("listen/ears", "#ears .cell >> nth=0", "ArrowLeft", "data-level", -1.0),
    ("listen/effects", "#set-one_db", "ArrowUp", "value", 0.5),
    ("levels/rows", "input[id^=gain-] >> nth=0", "ArrowUp", "value", 1.0),
])
def test_what_two_pages_nudge_adds_up(
    page: Page, other: Page, studio: Studio, view: str, where: str, key: str, way: str, by: float
) -> None:
    open_demo(page, studio)
    pages = [page, other]
    said: list[str] = []
    for each in pages:
        each.goto(f"{studio.url}/s/1/{view}")
        told(each)
        if "effects" in view:
            if not each.locator(".chip").count():
                each.locator("[id^=add-eq-]").first.click()
            each.locator(".chip").first.click()
        each.locator(where).first.focus()
        each.on("response", lambda r: said.append(f"{r.status} {r.url}") if r.status >= 400 else None)

    def shown(each: Page) -> float:
        field = each.locator(where).first
        text = field.input_value() if way == "value" else field.get_attribute(way) or "0"
        return float(text.replace("−", "-"))

    before = shown(page)
    press_on_both(pages, key)
    for each in pages:
        wait_for(lambda each=each: abs(shown(each) - (before + 2 * PRESSES * by)) < 1e-6, 60)
        assert each.evaluate("document.activeElement !== document.body"), "the focus stays where it is nudged"
    assert said == []
    press_on_both(pages, {"ArrowLeft": "ArrowRight", "ArrowUp": "ArrowDown"}[key])
    for each in pages:
        wait_for(lambda each=each: abs(shown(each) - before) < 1e-6, 60)
    if "effects" in view:
        end = page.locator(".chip").first.evaluate("chip => chip.closest('[data-end]').dataset.end")
        studio.post("/s/1/listen/take-out/eq", end=end)


def test_a_figure_that_is_nudged_past_its_end_shows_the_end(page: Page, studio: Studio) -> None:
    """Nothing changes then, so no new revision says what holds."""
    open_demo(page, studio)
    page.goto(f"{studio.url}/s/1/listen/tracks")
    told(page)
    field = page.locator("input[id^=playback_db]").first
    field.focus()
    for _ in range(2):
        for _ in range(40):
            page.keyboard.press("ArrowUp")
        wait_for(lambda: float(field.input_value()) == LEVEL.high)
    studio.post("/s/1/undo")


def focus_of(page: Page) -> str:
    return page.evaluate("document.activeElement.id || document.activeElement.dataset.press || document.activeElement.tagName")


def test_space_belongs_to_the_focused_control_and_a_mouse_leaves_the_focus_in_the_row(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.keyboard.press("?")
    page.get_by_label("Single letters and figures are keys").uncheck()
    page.get_by_role("button", name="Close").click()
    page.keyboard.press("1")
    page.keyboard.press("Shift+X")
    page.reload()
    told(page)
    assert page.url.endswith("/capture")
    assert page.locator(".arm:checked").count() == 0
    box = page.get_by_label("Arm Cello", exact=True)
    box.focus()
    page.keyboard.press("x")
    page.keyboard.press("Space")
    expect(box).to_be_checked()
    assert page.evaluate("document.body.dataset.state") == "stopped"
    page.keyboard.press("ArrowRight")
    assert page.evaluate("document.getElementById('samples').dataset.position") == "0", "arrows are the control's too"
    page.locator("[data-press=roll]").focus()
    page.keyboard.press("Enter")
    state_is(page, "rolling")
    page.wait_for_function("document.activeElement.dataset.press === 'stop'")
    page.keyboard.press("Enter")
    state_is(page, "stopped")
    page.wait_for_function("document.activeElement.dataset.press === 'roll'")
    box.click()
    expect(box).not_to_be_checked()
    assert focus_of(page).startswith("row-")
    page.keyboard.press("Space")
    state_is(page, "rolling")
    page.keyboard.press("Space")
    state_is(page, "stopped")
    name = page.get_by_label("Name of the track fed by 3", exact=True)
    name.focus()
    page.keyboard.press("Enter")
    assert focus_of(page).startswith("row-"), "what is typed is left for the row"
    page.evaluate("localStorage.removeItem('letters')")


def test_a_seam_goes_where_less_is_heard_of_it(page: Page, studio: Studio, session: str, tmp_path: Path) -> None:
    """The button stood in a form whose fields went along, and was refused on every press."""
    track = page.request.get(f"{session}/takes/cut/").text().split('data-track="')[1].split('"')[0]
    studio.post(f"{session.removeprefix(studio.url)}/takes/cut/split", track=track, at=str(RATE * 4))
    page.goto(f"{session}/takes/cut/?track={track}")
    told(page)
    page.locator('[data-piece="2"]').click()
    expect(page.locator("#proposal")).to_contain_text("heard least")
    refused: list[str] = []
    page.on("response", lambda r: refused.append(r.url) if r.status >= 400 else None)
    # A proposal as the server words it, in the place where the page puts it.
    page.evaluate(
        """([track, to]) => { const area = document.getElementById("proposal"); area.innerHTML =
           `<button type="button" hx-post="${document.getElementById("cut").dataset.moveSeam}" hx-swap="none"
             hx-vals='{"track": ${track}, "at": ${to - 480}, "to": ${to}}'>move it there</button>`; htmx.process(area); area.querySelector("button").click(); }""",
        [track, RATE * 4 + 480],
    )
    expect(page.locator('[data-piece="2"]')).to_have_attribute("data-start", str(RATE * 4 + 480))
    assert refused == []
