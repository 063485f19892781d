"""Everybody can use it: every page against WCAG 2.2 AA in both themes, and the keyboard through a refresh."""

from playwright.sync_api import Browser, Page, Route, expect

from tests.helpers.studio import ROOT, Studio, captured, heard_on, new_session, open_demo, told
from tests.helpers.waiting import wait_for

AXE = (ROOT / "node_modules" / "axe-core" / "axe.min.js").read_text()
TAGS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
PAGES = [
    "/", "/s/1/capture", "/s/1/takes/", "/nowhere",
    *(f"/s/1/patch/{v}" for v in ("sockets", "list", "tracks", "routes", "routes?grid=true", "check", "interface", "paper")),
    *(f"/s/1/levels/{v}" for v in ("rows", "wide", "noise", "pairs", "room")),
    *(f"/s/1/listen/{v}" for v in ("ears", "tracks", "effects", "guide")),
    *(f"/s/1/timing/{v}" for v in ("buffer", "trip", "rate", "tempo", "click")),
]


def violations(page: Page, night: bool = True) -> list[str]:
    """Everything by day; by night only what can differ, the contrast."""
    page.evaluate(AXE)
    contrast = {"type": "rule", "values": ["color-contrast"]}
    out = []
    for theme, rules in (("day", TAGS), ("night", contrast))[: 1 + night]:
        page.evaluate("theme => { document.documentElement.dataset.theme = theme; document.dispatchEvent(new Event('themechange')); }", theme)
        found = page.evaluate("rules => axe.run(document, {runOnly: rules, resultTypes: ['violations']})", rules)["violations"]
        out += [f"{theme}, {v['id']}: {n['html'][:120]} {n['failureSummary'][:200]}" for v in found for n in v["nodes"]]
    page.evaluate("() => { document.documentElement.dataset.theme = 'day'; }")
    return out


def test_no_page_has_a_violation(browser: Browser, studio: Studio) -> None:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True, reduced_motion="reduce")
    context.add_init_script("localStorage.setItem('theme', 'day'); localStorage.setItem('how', 'open')")
    page = context.new_page()
    open_demo(page, studio)
    if not page.request.get(f"{studio.url}/s/1/takes/").text().count("data-take="):
        page.locator(".arm").first.check()
        captured(page, 0)
    found = {}
    for number, address in enumerate(PAGES):
        page.goto(f"{studio.url}{address}")
        page.wait_for_load_state("networkidle") if address == "/nowhere" else page.wait_for_function("document.fonts.status === 'loaded'")
        if seen := violations(page, number % 3 == 0):
            found[address] = seen
    page.goto(f"{studio.url}/s/1/capture")
    page.get_by_role("button", name="Keys").click()
    if seen := violations(page):
        found["keys"] = seen
    context.close()
    assert found == {}


def test_a_row_that_is_removed_hands_the_focus_to_its_neighbour(page: Page, studio: Studio) -> None:
    """To the row, not to its button: Enter held down would remove one after another."""
    session = new_session(page, studio, "Rows")
    studio.post(f"{session.removeprefix(studio.url)}/patch/tracks", count="3")
    page.goto(f"{session}/patch/tracks")
    told(page)
    rows = page.locator("[data-track-row]")
    follows = rows.nth(2).get_attribute("id")
    rows.nth(1).get_by_role("button", name="Remove").focus()
    page.keyboard.press("Enter")
    expect(rows).to_have_count(2)
    expect(page.locator(f"#{follows}")).to_be_focused()
    page.keyboard.press("Enter")
    heard_on(page, 0.3)
    expect(rows).to_have_count(2)


def test_what_is_said_outlives_a_refresh(page: Page, studio: Studio) -> None:
    """The answer comes when the rows, and the button that was pressed, have been fetched again meanwhile."""
    open_demo(page, studio)
    page.goto(f"{studio.url}/s/1/patch/sockets")
    told(page)
    name = page.get_by_label("Notes on socket 11")
    name.fill("for later")
    name.press("Enter")
    expect(page.locator("#patch-facts")).to_contain_text("for later")

    def slowly(route) -> None:  # type: ignore[no-untyped-def]
        answer = route.fetch()
        button = page.locator("#patch-facts").get_by_role("button", name="Undo")
        button.evaluate("e => { e.dataset.old = 'yes'; }")
        page.evaluate("htmx.ajax('GET', document.getElementById('rows').dataset.refresh, {target: '#rows', swap: 'innerHTML'})")
        page.wait_for_function("document.querySelector('[data-old]') === null")
        route.fulfill(response=answer)

    page.route("**/undo", slowly)
    page.locator("#patch-facts").get_by_role("button", name="Undo").click()
    expect(page.locator("#message")).to_contain_text("Undone")


def test_undo_takes_back_what_was_pressed_last_though_its_answer_is_late(page: Page, studio: Studio) -> None:
    """And though the button was fetched again while it waited."""
    page.goto(f"{new_session(page, studio, 'Late')}/timing/buffer")
    told(page)
    step = page.locator("[data-press='count']")
    words = step.inner_text()
    held: list[Route] = []
    page.route("**/count-in", lambda route: held.append(route))
    step.click()
    wait_for(lambda: page.wait_for_timeout(20) or held)
    page.keyboard.press("Control+z")
    page.evaluate("""() => {
        const old = document.querySelector("[data-press=undo]"), made = old.cloneNode(true);
        old.replaceWith(made);
        htmx.process(made);
    }""")
    page.wait_for_timeout(300)
    held[0].continue_()
    expect(page.locator("#message")).to_contain_text("Undone: Count-in")
    expect(step).to_have_text(words)


def test_pages_keep_their_own_policy(browser: Browser, studio: Studio) -> None:
    """Nothing inline, nothing evaluated, nothing from elsewhere; and what is pressed still works."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    page = context.new_page()
    said: list[str] = []
    page.on("console", lambda message: said.append(message.text))
    page.on("pageerror", lambda error: said.append(str(error)))
    for address in PAGES:
        page.goto(f"{studio.url}{address}")
        page.wait_for_timeout(150)
    studio.post("/s/1/enter")
    page.goto(f"{studio.url}/s/1/capture")
    wait_for(lambda: page.evaluate("window.cattailerStats?.frames > 0"))  # what is pressed before reaches nobody
    page.get_by_role("button", name="Listen here").click()
    page.get_by_role("button", name="▶ Roll").click()
    wait_for(lambda: page.evaluate("document.body.dataset.state") == "rolling")
    page.get_by_role("button", name="■ Stop", exact=True).click()
    wait_for(lambda: page.evaluate("document.body.dataset.state") == "stopped")
    context.close()
    assert [text for text in said if "404" not in text] == []
