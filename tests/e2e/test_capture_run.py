"""Passes, punches, marks and the bin, through the real interface."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.studio import Studio, follow, moved_on, open_demo, state_is

USUAL = {
    "begin": "now", "start": "playhead", "pre_bars": "0", "post_bars": "0", "passes": "0", "limit_s": "0", "over": "keep",
    "holds": "off", "disarms": "off",
}


@pytest.fixture(autouse=True)
def as_it_was(studio: Studio) -> Iterator[None]:
    """Other tests capture as usual."""
    yield
    studio.post("/s/1/enter")
    studio.post("/s/1/stop")
    for name, value in USUAL.items():
        studio.post("/s/1/capturing", name=name, value=value)


def how(page: Page, name: str, value: str) -> None:
    """A setting of the capture, chosen or typed."""
    field = page.get_by_label(name, exact=True)
    if field.evaluate("node => node.tagName") == "SELECT":
        field.select_option(value)
    else:
        field.fill(value)
        field.press("Enter")


def test_three_passes_a_punch_a_mishap_and_the_bin(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.keyboard.press("Shift+X")
    expect(page.locator(".arm:checked")).to_have_count(10)
    page.keyboard.press("w")
    expect(page.locator("#how-more")).to_be_visible()
    box = page.locator("#ruler").bounding_box()
    assert box is not None
    x, y = box["x"], box["y"] + box["height"] / 2
    page.mouse.move(x + box["width"] * 4.5 / 16, y)
    page.mouse.down()
    page.mouse.move(x + box["width"] * 2.5 / 16, y, steps=4)
    page.mouse.up()
    expect(page.get_by_label("Range from")).to_have_value("3")
    expect(page.get_by_label("Range to")).to_have_value("5")
    page.get_by_label("Range from").fill("2")
    page.get_by_label("Range to").fill("2")
    page.get_by_label("Range to").press("Enter")
    page.get_by_label("Range to").blur()
    page.locator("[data-press=loop]").click()
    expect(page.locator("[data-press=loop]")).to_have_attribute("aria-pressed", "true")
    how(page, "passes, (0: until stopped)", "3")
    expect(page.locator("#how")).to_contain_text("3 passes")
    page.keyboard.press("i")
    expect(page.locator("[data-press=count]")).to_have_text("1 bar")
    page.keyboard.press("Shift+Space")
    state_is(page, "counting")
    state_is(page, "capturing")
    expect(page.locator("#samples")).to_contain_text("pass 2")
    expect(page.locator("#state")).to_contain_text("● take ")
    page.keyboard.press("Shift+N")
    page.keyboard.press("+")
    state_is(page, "stopped", 60)
    expect(page.locator("#how")).to_contain_text("pass 3")
    expect(page.locator("#how")).to_contain_text("mishap bar 2")
    last = int(page.locator("#how strong").first.inner_text().removeprefix("Take "))

    page.keyboard.press("o")
    expect(page.locator("[data-press=loop]")).to_have_attribute("aria-pressed", "false")
    how(page, "at", "range")
    how(page, "pre-roll, bars", "1")
    how(page, "Over what is there", "replace")
    expect(page.locator("#how")).to_contain_text("Only the stretch that is captured")
    for words in ("2 bars", "4 bars", "off"):
        page.keyboard.press("i")
        expect(page.locator("[data-press=count]")).to_have_text(words)
    page.keyboard.press("Shift+Space")
    state_is(page, "pre-roll")
    state_is(page, "capturing")
    state_is(page, "stopped", 60)
    expect(page.locator("#how")).to_contain_text(f"Take {last + 1}")
    expect(page.locator("#how")).to_contain_text("checked", timeout=60_000)

    follow(page, "Takes")
    expect(page.get_by_role("button", name=f"Play Cello, take {last + 1}", exact=True)).to_be_visible()
    follow(page, "Bin", exact=True)
    expect(page.locator("section[aria-label=Bin]")).to_contain_text(f"replaced by take {last + 1}")
    follow(page, "Capture")
    page.keyboard.press("Delete")
    expect(page.locator("#how")).to_contain_text("in the bin")
    follow(page, "Takes")
    follow(page, "Bin", exact=True)
    bin_ = page.locator("section[aria-label=Bin]")
    expect(bin_).to_contain_text("discarded")
    expect(bin_).not_to_contain_text("replaced")
    page.get_by_role("button", name=f"Fetch back take {last + 1}").click()
    expect(bin_).to_contain_text("Nothing.")
    follow(page, "All takes")
    expect(page.get_by_role("button", name=f"Play Cello, take {last + 1}", exact=True)).to_be_visible()


def test_the_bin_asks_twice_and_sound_begins_a_capture(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.get_by_role("button", name="Rest", exact=True).click()
    expect(page.get_by_role("button", name="Rest", exact=True)).to_have_attribute("aria-pressed", "true")
    page.get_by_role("checkbox", name="Arm Cello", exact=True).click()
    if not page.locator("#how-more").is_visible():
        page.keyboard.press("w")
    how(page, "at", "playhead")
    how(page, "Begins", "sound")
    expect(page.locator("#how")).to_contain_text("When sound arrives, at the playhead")
    how(page, "at most, s", "3")
    expect(page.locator("#how")).to_contain_text("at most 3 s")
    page.keyboard.press("Shift+Space")
    state_is(page, "waiting")
    page.get_by_role("button", name="Play", exact=True).click()
    state_is(page, "capturing", 30)
    state_is(page, "stopped", 30)
    expect(page.locator("#how")).to_contain_text("00:03")
    how(page, "Begins", "now")
    expect(page.locator("#how")).to_contain_text("At once")
    page.locator("[data-press=discard]").click()
    expect(page.locator("#how")).to_contain_text("in the bin")
    follow(page, "Takes")
    follow(page, "Bin", exact=True)
    bin_, delete = page.locator("section[aria-label=Bin]"), page.get_by_role("button", name="Delete what is ticked for good")
    delete.click()
    expect(page.locator("#message")).to_contain_text("Tick what should go first")
    bin_.get_by_role("checkbox", name="Delete take").check()
    delete.click()
    expect(page.locator("#message")).to_contain_text("Tick that you know")
    page.get_by_label("I know that nobody can fetch back").check()
    delete.click()
    expect(page.locator("#sure")).to_contain_text("1 file")
    page.get_by_role("button", name="Delete for good", exact=True).click()
    expect(bin_).to_contain_text("Nothing.")


def test_a_locked_run_ends_only_where_it_is_held(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.get_by_role("checkbox", name="Arm Cello", exact=True).click()
    if not page.locator("#how-more").is_visible():
        page.keyboard.press("w")
    page.get_by_role("checkbox", name="hold to stop").click()
    expect(page.locator("#holds")).to_be_visible()
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    page.keyboard.press("Space")
    expect(page.locator("#message")).to_contain_text("is locked")
    page.get_by_role("button", name="Stop capturing").click()
    moved_on(page, 1.5)
    assert page.evaluate("document.body.dataset.state") == "capturing"
    page.keyboard.down("Space")
    state_is(page, "stopped")
    page.keyboard.up("Space")
    page.get_by_role("checkbox", name="hold to stop").click()
    expect(page.locator("#holds")).to_have_count(0)
