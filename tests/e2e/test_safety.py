"""Ranges in minutes, files checked, sessions put away, a phone and a tablet, through the real interface."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.studio import Studio, follow, new_session, open_demo, state_is, told


@pytest.fixture(autouse=True)
def as_it_was(studio: Studio) -> Iterator[None]:
    """Other tests count bars."""
    yield
    studio.post("/s/1/ruler", ruler="bars")


def test_a_take_becomes_the_range_the_ruler_counts_minutes_and_all_files_are_checked(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.get_by_role("checkbox", name="Arm Cello", exact=True).check()
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    expect(page.locator("#state")).to_contain_text("● take ")
    expect(page.locator("#samples")).to_contain_text("00:01")
    page.keyboard.press("Space")
    state_is(page, "stopped")
    page.get_by_role("button", name="Make it the range").click()
    first = page.get_by_label("Range from")
    expect(first).to_have_value("1")
    page.get_by_role("button", name="bars", exact=True).click()
    expect(first).to_have_value("00:00")
    page.wait_for_function("document.querySelector('#ruler')")
    page.get_by_label("Range to").fill("0:03.5")
    page.get_by_label("Range to").press("Enter")
    page.get_by_label("Range to").blur()
    expect(page.get_by_label("Range to")).to_have_attribute("data-was", "00:03.500")
    page.get_by_role("button", name="min", exact=True).click()
    expect(first).to_have_value("1")
    follow(page, "Takes")
    page.get_by_role("button", name="Check all files").click()
    expect(page.locator("#files-checked")).to_contain_text("here and unchanged", timeout=20_000)


def test_a_phone_captures_marks_and_shows_what_is_armed(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.get_by_role("checkbox", name="Arm Cello", exact=True).check()
    page.set_viewport_size({"width": 390, "height": 844})
    page.goto(f"{studio.url}/s/1/capture/remote")
    told(page)
    assert page.evaluate("document.documentElement.scrollWidth") <= 390
    expect(page.locator("#rows")).to_contain_text("Cello")
    page.get_by_role("button", name="Capture 1 track").click()
    state_is(page, "capturing")
    page.get_by_role("button", name="Mishap here").click()
    expect(page.locator("#message")).to_contain_text("Mishap set.")
    page.get_by_role("button", name="Stop capturing").click()
    state_is(page, "stopped")
    expect(page.locator("#rows")).to_contain_text("Newest: take")


def test_every_page_fits_on_a_tablet(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.set_viewport_size({"width": 820, "height": 1100})
    for path in ("patch/list", "levels", "timing", "listen", "capture", "takes/"):
        page.goto(f"{studio.url}/s/1/{path}")
        told(page)
        assert page.evaluate("document.documentElement.scrollWidth") <= 820, path


def test_a_session_is_put_away_removed_and_fetched_back(page: Page, studio: Studio) -> None:
    new_session(page, studio, "A rehearsal")
    open_demo(page, studio)
    page.goto(studio.url)
    card = page.locator("li", has_text="A rehearsal")
    card.get_by_text("name, put away, remove").click()
    card.get_by_role("button", name="Put away: A rehearsal").click()
    page.get_by_text("Put away (1)").click()
    page.get_by_role("button", name="Remove: A rehearsal").click()
    page.get_by_role("button", name="To the bin").click()
    page.get_by_text("In the bin (1)").click()
    page.get_by_role("button", name="Delete for good: A rehearsal").click()
    expect(page.locator("#message")).to_contain_text("Tick that you know")
    page.get_by_role("button", name="Fetch back: A rehearsal").click()
    expect(page.get_by_text("In the bin")).to_have_count(0)
    expect(page.locator("a", has_text="A rehearsal")).to_be_visible()


def test_a_second_hand_signs_its_marks(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    if not page.locator("#how-more").is_visible():
        page.keyboard.press("w")
    page.get_by_label("Your name, for marks").fill("Wren")
    page.get_by_label("Your name, for marks").press("Enter")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("n")
    expect(page.locator("#how")).to_contain_text("Wren")
    page.locator("#how").get_by_role("button", name="Remove the marker").first.click()
    expect(page.locator("#how")).not_to_contain_text("Wren")
