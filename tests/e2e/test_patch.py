"""From an empty session to ten named, routed, checked tracks: with the mouse, and with the keyboard alone."""

import re

from playwright.sync_api import Page, expect

from cattailer.services.session.demo import INPUTS
from tests.helpers.studio import Studio, follow, heard_on, new_session, open_demo, post, told

LIST = "socket;name;source;pick-up;48 V;notes\n" + "\n".join(
    f"{i.socket};{i.name};{i.name.lower()};{i.pickup};{'yes' if i.phantom else 'no'};{i.note}" for i in INPUTS
)
WRONG = LIST.replace("\n4;", "\n3;").replace("ribbon", "kazoo")


def knock(page: Page, name: str) -> None:
    page.locator(f"[data-knock='{name}']").click()


def test_one_list_makes_ten_checked_tracks_with_the_mouse(page: Page, studio: Studio) -> None:
    new_session(page, studio, "Barn by mouse")
    follow(page, "Input list")
    page.locator("#list-text").fill(WRONG)
    page.get_by_role("button", name="Show what would change").click()
    expect(page.locator("#preview")).to_contain_text("2 of 10 rows cannot be taken over")
    expect(page.locator("#preview")).to_contain_text("pick-up “kazoo” is not known")
    expect(page.get_by_role("button", name=re.compile("Take over"))).to_have_count(0)
    page.locator("#list-text").fill("\ufeff" + LIST)
    page.get_by_role("button", name="Show what would change").click()
    page.get_by_role("button", name="Take over 10 rows").click()
    page.wait_for_url("**/patch/tracks")
    expect(page.locator("#rows [data-track-row]")).to_have_count(10)
    expect(page.get_by_text("Every track can be told by its name")).to_be_visible()
    follow(page, "Routes")
    page.get_by_role("button", name="add a group").click()
    group = page.get_by_label(re.compile("Name of Group")).first
    group.fill("Strings")
    group.press("Enter")
    page.get_by_role("button", name="Grid").click()
    cell = page.locator("#grid tr", has_text="Cello").first.locator("td.to").first
    cell.click()
    expect(cell).to_have_class(re.compile(r"\bon\b"))
    page.get_by_role("button", name="Picture").click()
    page.locator(".end[data-end='in:3']").hover()
    expect(page.locator("#way")).to_contain_text("Goes through Cello and Strings")
    expect(page.locator(".end[data-lit]").filter(has_text="Strings")).to_have_count(1)
    follow(page, "Line check")
    page.get_by_role("button", name="Start the line check").click()
    words = page.locator("#check-words")
    expect(words).to_have_text("Ask for sound at: Dulcimer left, socket 1.")
    heard_on(page, 2.5)  # the room falls silent
    for plug, following in (("dulcimer, left", "Dulcimer right, socket 2"), ("dulcimer, right", "Cello, socket 3")):
        knock(page, plug)
        expect(words).to_contain_text(following)
        heard_on(page, 1.5)
    knock(page, "frame drum")
    expect(words).to_have_text("Heard at 6: swapped with Frame drum?")
    page.get_by_role("button", name="Swap 3 and 6 in the list").click()
    expect(page.locator("li[data-socket='6']")).to_contain_text("Cello")
    expect(page.locator("li[data-socket='6']")).to_have_attribute("data-check", "heard")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#message")).to_contain_text("changed places")
    expect(page.locator("li[data-socket='3']")).to_contain_text("Cello")
    while page.get_by_role("button", name="Tick it by hand").count():
        before = words.inner_text()
        page.get_by_role("button", name="Tick it by hand").click()
        expect(words).not_to_have_text(before)
    expect(words).to_have_text("Every row was heard where it belongs.")
    expect(page.locator("#rows [data-check='heard']")).to_have_count(10)
    page.locator("[data-mode='follow']").first.click()


def test_tracks_and_routes_with_the_keyboard_alone(page: Page, studio: Studio) -> None:
    here = new_session(page, studio, "Barn by keyboard")
    post(page, f"{here.removeprefix(studio.url)}/patch/list", text=LIST)
    page.goto(f"{here}/patch/tracks")
    told(page)
    expect(page.locator("#rows [data-track-row]")).to_have_count(10)
    focus(page, "Name of track 9")
    for name in ("Barn left", "Barn right"):  # Tab in a name goes to the name below
        page.keyboard.press("Control+A")
        page.keyboard.type(name)
        page.keyboard.press("Tab")
    expect(page.get_by_label("Name of track 10")).to_have_value("Barn right")
    page.keyboard.press("Escape")
    page.evaluate("document.activeElement.blur()")
    expect(page.get_by_text(re.compile("renamed to Barn right"))).to_be_visible()
    focus(page, "Place 10 of Barn right")
    page.keyboard.press("ArrowUp")
    expect(page.get_by_label("Name of track 9")).to_have_value("Barn right")
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Name of track 9")).to_have_value("Barn left")
    page.keyboard.press("Control+Shift+Z")
    expect(page.get_by_label("Name of track 9")).to_have_value("Barn right")
    focus(page, "Routes")
    page.keyboard.press("Enter")
    page.wait_for_url("**/routes")
    focus(page, "Cello: ")
    expect(page.locator("#way")).to_contain_text("Heard in Main mix")
    page.keyboard.press("g")
    page.wait_for_url("**/routes?grid=true")
    page.wait_for_selector("#grid")
    for _ in range(40):
        page.keyboard.press("Tab")
        if page.evaluate("document.activeElement.closest('#grid td') !== null"):
            break
    assert page.locator("#grid td[tabindex='0']").count() == 1, "the grid is one stop of the Tab key"
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowRight")
    stop = page.locator("#grid td[tabindex='0']")
    was = stop.get_attribute("aria-selected")
    turned = "false" if was == "true" else "true"
    page.keyboard.press("Enter")
    expect(stop).to_have_attribute("aria-selected", turned)
    expect(stop).to_be_focused()
    page.keyboard.press("Control+z")
    expect(stop).to_have_attribute("aria-selected", was or "")


def focus(page: Page, label: str, most: int = 260) -> None:
    """Tab until the focus is on what is called so."""
    found = """label => {
      const e = document.activeElement;
      return [e?.getAttribute('aria-label'), e?.labels?.[0]?.innerText, e?.innerText].some((t) => t?.trim().startsWith(label));
    }"""
    for _ in range(most):
        page.keyboard.press("Tab")
        if page.evaluate(found, label):
            return
    raise AssertionError(f"nothing called {label!r} can be reached with Tab")


def test_two_people_at_one_row(page: Page, other: Page, studio: Studio) -> None:
    open_demo(page, studio)
    for one in (page, other):
        one.goto(f"{studio.url}/s/1/patch/sockets")
        told(one)
    mine, theirs = (p.get_by_label("Notes on socket 7") for p in (page, other))
    mine.fill("by the do")
    theirs.fill("near the bellows")
    theirs.press("Enter")
    expect(other.locator("#patch-facts")).to_contain_text("near the bellows")
    page.keyboard.type("or")
    mine.press("Enter")
    expect(page.locator("#message")).to_contain_text("was changed on another page meanwhile; it is “near the bellows” now")
    expect(mine).to_have_value("near the bellows")
    other.get_by_role("button", name="48 V at socket 5").click()
    expect(other.get_by_role("dialog")).to_contain_text("destroy a ribbon")
    other.keyboard.press("Enter")
    expect(other.get_by_role("button", name="48 V at socket 5")).to_have_attribute("aria-pressed", "false")
    other.keyboard.press("Control+z")
    expect(mine).to_have_value("")


def test_a_loop_is_refused_by_name_and_a_capture_keeps_the_patch(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.goto(f"{studio.url}/s/1/patch/routes?grid=true")
    told(page)
    strings = page.locator("#grid thead th", has_text="Strings L").first
    column = strings.evaluate("e => e.cellIndex")
    page.locator("#grid tr", has_text="Cello").first.locator("td").nth(column - 1).click()
    expect(page.get_by_role("alert")).to_contain_text("close a loop: Strings → Cello → Strings")
    page.evaluate("fetch('/s/1/tracks/arm', {method: 'POST', body: new URLSearchParams({armed: 'true'})})")
    page.keyboard.press("Shift+Space")
    page.wait_for_function("document.body.dataset.state === 'capturing'")
    page.goto(f"{studio.url}/s/1/patch/tracks")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("A capture runs, so")
    page.get_by_label("Name of track 3", exact=True).fill("Gamba")
    page.keyboard.press("Enter")
    expect(page.locator("#patch-facts")).to_contain_text("Cello renamed to Gamba")
    page.keyboard.press("Shift+Space")
    page.wait_for_function("document.body.dataset.state === 'stopped'")
    expect(page.get_by_role("list", name="History").get_by_role("listitem").first).to_contain_text("captured")
    page.keyboard.press("Control+z")
    expect(page.locator("#patch-facts .line-through")).to_contain_text("captured")
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Name of track 3", exact=True)).to_have_value("Cello")
    expect(page.locator("#rows [data-track-row]")).to_have_count(10)
