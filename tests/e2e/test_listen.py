"""What ears get, in the browser: a mix is made by mouse and by keyboard, heard at once, and written down once."""

from collections.abc import Iterator

import numpy as np
import pytest
from playwright.sync_api import Locator, Page, expect

from tests.helpers.studio import Studio, decoded, follow, heard_on, open_demo, post, told


@pytest.fixture(autouse=True)
def as_it_was(studio: Studio) -> Iterator[None]:
    yield
    for path, fields in (("players", {"mode": "follow"}), ("tracks/arm", {"armed": "false"}), ("listen/alone", {})):
        studio.post(f"/s/1/{path}", **fields)


def open_ears(page: Page, studio: Studio) -> None:
    """Everybody plays and is heard live."""
    open_demo(page, studio)
    post(page, "/s/1/players", mode="perform")
    post(page, "/s/1/tracks/arm", armed="true")
    page.goto(f"{studio.url}/s/1/listen/")
    told(page)


def cell(page: Page, row: str, mix: str) -> Locator:
    return page.locator(f'.cell[aria-label^="{row} in {mix}:"]')


def test_a_cell_is_dragged_and_the_mix_follows(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    narrator = cell(page, "Narrator", "Cue narrator")
    meter = page.evaluate("document.querySelector('.cell[aria-label^=\"Narrator in Cue narrator\"]').dataset.mix")
    expect(page.locator(f"#ear-peak-{meter}")).to_contain_text("−")
    box = narrator.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] * 0.75, box["y"] + box["height"] / 2)
    page.mouse.down()
    for step in range(18):
        page.mouse.move(box["x"] + box["width"] * (0.75 - 0.05 * step), box["y"] + box["height"] / 2)
    page.mouse.up()
    expect(narrator).to_have_attribute("data-level", "-60", timeout=10_000)
    heard_on(page, 1)
    page.reload()
    expect(cell(page, "Narrator", "Cue narrator")).to_have_attribute("data-level", "-60")
    told(page)
    page.keyboard.press("Control+z")
    expect(cell(page, "Narrator", "Cue narrator")).to_have_attribute("data-level", "0")


def test_ten_rows_by_keyboard_alone(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    first = cell(page, "Dulcimer left", "Cue band")
    first.focus()
    for level in range(1, 9):
        page.keyboard.type(f"-{level}")
        page.keyboard.press("Enter")
        page.keyboard.press("ArrowDown")
    for n, row in enumerate(("Dulcimer left", "Dulcimer right", "Cello", "Cello pickup", "Bass clarinet", "Frame drum",
                             "Harmonium", "Narrator"), 1):
        expect(cell(page, row, "Cue band")).to_have_attribute("data-level", f"-{n}")
    heard_on(page, 0.5)
    page.reload()
    told(page)
    expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-level", "-3")
    cell(page, "Cello", "Cue band").focus()
    page.keyboard.press("m")
    expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-muted", "")
    expect(page.locator("#close")).to_contain_text("Cello in Cue band")
    page.keyboard.press("m")
    expect(cell(page, "Cello", "Cue band")).not_to_have_attribute("data-muted", "")
    page.keyboard.press("ArrowLeft")
    expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-level", "-4")
    page.keyboard.press("Backspace")
    expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-level", "0")
    for _ in range(3):
        page.keyboard.press("[")
    expect(cell(page, "Cello", "Cue band")).to_contain_text("L30")
    for _ in range(3):
        page.keyboard.press("]")
    expect(cell(page, "Cello", "Cue band")).not_to_contain_text("L30")
    page.keyboard.type("loud")
    page.keyboard.type("5x")
    page.keyboard.press("Enter")
    expect(page.locator("#message")).to_contain_text("is no level")


def test_what_one_page_moves_the_other_shows(page: Page, other: Page, studio: Studio) -> None:
    open_ears(page, studio)
    other.goto(f"{studio.url}/s/1/listen/")
    told(other)
    mine = cell(page, "Harmonium", "Main mix")
    mine.focus()
    for _ in range(5):
        page.keyboard.press("ArrowLeft")
    expect(cell(other, "Harmonium", "Main mix")).to_have_attribute("data-level", "-5")
    page.keyboard.press("Backspace")
    expect(cell(other, "Harmonium", "Main mix")).to_have_attribute("data-level", "0")
    # A hand that is gone with its page has let go too.
    cell(other, "Harmonium", "Main mix").focus()
    other.keyboard.press("ArrowRight")
    other.wait_for_timeout(100)
    other.close()
    expect(mine).to_have_attribute("data-level", "1")
    page.keyboard.press("Backspace")
    expect(mine).to_have_attribute("data-level", "0")


def test_a_column_is_copied_limited_and_brings_its_player_forward(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    page.locator(".ear", has_text="Cue dulcimer").click()
    close = page.locator("#close")
    close.get_by_label("Copy from another mix").select_option(label="Main mix")
    expect(page.locator("#message")).to_contain_text("Copied")
    expect(cell(page, "Cello", "Cue dulcimer")).to_have_attribute("data-level", "0")
    close.get_by_role("button", name="Dulcimer left").click()
    expect(cell(page, "Dulcimer left", "Cue dulcimer")).to_have_attribute("data-own", "")
    heard_on(page, 1)
    close.get_by_label("Limiter", exact=True).select_option("samples only")
    expect(close.get_by_label("nothing louder than")).to_have_value("−6")
    close.get_by_label("nothing louder than").fill("-30")
    close.get_by_label("nothing louder than").press("Enter")
    mix = page.locator(".ear", has_text="Cue dulcimer").get_attribute("data-mix")
    expect(page.locator(f"#ear-limit-{mix}")).to_contain_text("−")
    page.evaluate("document.activeElement.blur()")
    for _ in range(4):
        page.keyboard.press("Control+z")
        heard_on(page, 0.5)
    expect(cell(page, "Cello", "Cue dulcimer")).to_have_attribute("data-away", "")


def test_what_is_selected_is_typed_over_though_it_was_fetched_again(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    page.locator(".ear", has_text="Cue dulcimer").click()
    field = page.locator("#close").get_by_label("level of the whole mix")
    field.select_text()
    field.evaluate("""field => {
        field.dataset.old = "";
        const mix = document.querySelector(".ear[data-close]").dataset.mix;
        htmx.ajax("GET", `${document.getElementById("close").dataset.address}?end=&mix=${mix}`, "#close");
    }""")
    page.wait_for_function("document.querySelector('[data-old]') === null")
    page.keyboard.type("-9")
    expect(field).to_have_value("-9")


def test_alone_and_listening_of_a_track(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    page.get_by_role("button", name="Hear Cello alone").click()
    expect(page.get_by_role("button", name="Hear Cello alone")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="Hear Cello alone").click()
    expect(page.get_by_role("button", name="Hear Cello alone")).to_have_attribute("aria-pressed", "false")
    follow(page, "Tracks", exact=True)
    page.get_by_role("group", name="When of Narrator").get_by_role("button", name="Always").click()
    expect(page.get_by_role("group", name="When of Narrator").get_by_role("button", name="Always")).to_have_attribute("aria-pressed", "true")
    page.get_by_label("Live level of Narrator in dB").fill("-3")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Live level of Narrator in dB")).to_have_value("−3")
    for _ in range(2):
        page.keyboard.press("Control+z")
        heard_on(page, 0.2)
    expect(page.get_by_role("group", name="When of Narrator").get_by_role("button", name="Auto")).to_have_attribute("aria-pressed", "true")


def test_an_equaliser_a_compressor_and_a_reverb(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    follow(page, "Effects", exact=True)
    page.get_by_role("button", name="+ dyn: put a compressor into Cello", exact=True).click()
    expect(page.locator("#chip-dyn-track-3")).to_be_visible()
    heard_on(page, 1)
    page.get_by_role("button", name="Compressor of Cello, on").click()
    threshold = page.get_by_label("threshold dB")
    threshold.fill("-50")
    threshold.press("Enter")
    expect(page.locator("#down-track-3")).to_contain_text("−")
    expect(page.locator("#close [data-down='track:3']")).to_contain_text("−")
    page.get_by_label("ratio : 1").dblclick()
    expect(threshold).to_have_value("−50")
    threshold.dblclick()
    expect(threshold).to_have_value("−24")
    heard_on(page, 1)
    page.get_by_role("button", name="+ eq: put an equaliser into Cello", exact=True).click()
    expect(page.locator("#chip-eq-track-3")).to_be_visible()
    heard_on(page, 1)
    page.get_by_role("button", name="Equaliser of Cello, on").click()
    expect(page.locator("#close svg")).to_be_visible()
    page.get_by_label("peak 1 Hz").fill("2500")
    page.get_by_label("peak 1 Hz").press("Enter")
    expect(page.get_by_label("peak 1 Hz")).to_have_value("2500")
    page.get_by_role("button", name="Add a return with a reverb").click()
    send = page.get_by_label("Cello sent to Grain barn, dB")
    send.fill("-12")
    send.press("Enter")
    expect(send).to_have_value("−12")
    heard_on(page, 1)
    page.get_by_role("button", name="Reverb of Grain barn, on").click()
    heard_on(page, 1)
    damping = page.get_by_label("damping %")
    damping.fill("140")
    damping.press("Enter")
    expect(page.locator("#message")).to_contain_text("goes from 0 to 100 %")
    expect(damping).to_have_value("140")
    page.keyboard.press("Tab")
    expect(damping).to_have_value("50")
    page.get_by_label("pre-delay ms").fill("35 ms")
    page.get_by_label("pre-delay ms").press("Enter")
    expect(page.get_by_label("pre-delay ms")).to_have_value("35")
    page.get_by_role("button", name="Stone stair").click()
    expect(page.get_by_role("button", name="Stone stair")).to_have_attribute("aria-pressed", "true")
    for _ in range(9):  # as fast as a finger can: none is lost
        page.keyboard.press("Control+z")
    expect(page.locator(".chip")).to_have_count(0)


def test_effects_and_ears_with_the_keyboard_alone(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    here = page.locator(":focus")
    cell(page, "Cello", "Cue band").focus()
    page.keyboard.press("e")
    expect(here).to_have_attribute("aria-label", "level")
    page.keyboard.type("-77")
    page.keyboard.press("Escape")
    expect(cell(page, "Cello", "Cue band")).to_be_focused()
    page.goto(f"{studio.url}/s/1/listen/effects")
    told(page)
    page.get_by_role("button", name="Add a return with a reverb").focus()
    page.keyboard.press("Enter")
    chip = page.get_by_role("button", name="Reverb of Grain barn, on")
    expect(chip).to_be_visible()
    heard_on(page, 0.5)
    expect(here).to_have_text("Add a return with a reverb")
    chip.focus()
    page.keyboard.press("Enter")
    expect(here).to_have_attribute("aria-label", "pre-delay ms")
    page.keyboard.type("40 ms")
    page.keyboard.press("Enter")
    expect(here).to_have_value("40")
    page.keyboard.press("Escape")
    expect(chip).to_be_focused()
    expect(chip).to_have_attribute("data-close", "")
    for _ in range(2):
        page.keyboard.press("Control+z")
    expect(chip).to_have_count(0)


def test_what_is_typed_on_a_slow_line_is_neither_lost_nor_overtaken(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    cell(page, "Cello", "Cue band").click()
    level, held = page.get_by_label("level", exact=True), []
    page.route("**/listen/set", lambda route: held.append(route) if len(held) < 2 else route.continue_())
    level.fill("-5")
    level.press("Enter")
    level.fill("-7")
    held[0].continue_()
    heard_on(page, 2)
    expect(level).to_have_value("-7")
    level.press("Enter")
    studio.post("/s/1/tracks/arm", armed="false")
    heard_on(page, 1)
    level.fill("-9")
    level.press("Enter")
    heard_on(page, 1)
    held[1].continue_()
    expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-level", "-9")
    heard_on(page, 1)
    expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-level", "-9")
    page.keyboard.press("Escape")
    for db in ("-7", "-5", "-5", "0"):
        page.keyboard.press("Control+z")
        expect(cell(page, "Cello", "Cue band")).to_have_attribute("data-level", db)


def tone_dbfs(page: Page, studio: Studio, mix: str, hz: float = 440.0) -> float:
    """The level of a tone in a mix, as this browser gets and decodes it: half a second of it."""
    sound = decoded(page, studio, mix, 24_000, 48_000) * np.hanning(24_000)
    turned = np.exp(-2j * np.pi * hz / 48_000 * np.arange(24_000))
    return float(20 * np.log10(4 * abs((sound * turned).sum()) / 24_000 + 1e-12))


def test_a_guide_note_is_heard_in_ears_as_loud_as_its_cell_says(page: Page, other: Page, studio: Studio) -> None:
    open_demo(page, studio)
    post(page, "/s/1/players", mode="rest")
    page.goto(f"{studio.url}/s/1/listen/guide")
    told(page)
    page.locator('[title="A4"]').focus()
    page.keyboard.press("Enter")
    page.get_by_role("button", name="Hold these keys").click()
    expect(page.get_by_role("button", name="Let go")).to_be_visible()
    other.goto(f"{studio.url}/s/1/listen/")
    told(other)
    guide = cell(other, "Guide notes", "Cue narrator")
    cue, main = (guide.get_attribute("data-mix") or "", cell(other, "Cello", "Main mix").get_attribute("data-mix") or "")
    before = tone_dbfs(other, studio, cue)
    assert before > -45.0
    assert tone_dbfs(other, studio, main) < -80.0, "guide notes are for ears only"
    guide.focus()
    other.keyboard.type("-12")
    other.keyboard.press("Enter")
    expect(guide).to_have_attribute("data-level", "-12")
    heard_on(other, 1)
    assert tone_dbfs(other, studio, cue) == pytest.approx(before - 12.0, abs=0.3)
    page.get_by_role("button", name="Let go").click()
    heard_on(page, 1)
    assert tone_dbfs(other, studio, cue) < -80.0
    page.get_by_label("Bar", exact=True).fill("2")
    page.get_by_role("button", name="Place").click()
    expect(page.get_by_role("listitem").filter(has_text="bar 2 · beat 1")).to_contain_text("A4")
    for _ in range(2):
        page.keyboard.press("Control+z")
        heard_on(page, 0.3)
    expect(page.get_by_text("Nothing is placed yet")).to_be_visible()


def test_solo_and_pan_in_the_sheet(page: Page, studio: Studio) -> None:
    open_ears(page, studio)
    solo = page.get_by_role("button", name="Solo Cello in the main mix")
    cell(page, "Cello", "Cue band").focus()
    page.keyboard.press("s")
    expect(solo).to_have_attribute("aria-pressed", "true")
    solo.click()
    expect(solo).to_have_attribute("aria-pressed", "false")
    drum = cell(page, "Frame drum", "Cue band")
    drum.hover()
    turn = drum.locator(".cell-turn").bounding_box()
    assert turn is not None
    page.mouse.move(turn["x"] + turn["width"] / 2, turn["y"] + turn["height"] - 3)
    page.mouse.down()
    page.mouse.move(turn["x"] + turn["width"] * 0.7, turn["y"] + turn["height"] - 3, steps=4)
    page.mouse.up()
    expect(drum.locator(".cell-pan")).to_contain_text("R4")
    page.keyboard.press("Control+z")
    expect(drum.locator(".cell-pan")).to_have_count(0)
