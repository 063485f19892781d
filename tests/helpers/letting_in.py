"""Letting a device in by its code, as an engineer and its user do it."""

from playwright.sync_api import Page, expect

from tests.helpers.studio import Studio


def code_for(page: Page, studio: Studio, role: str, mix: str = "") -> str:
    page.goto(f"{studio.url}/devices")
    page.locator(f"#offer-form input[value={role}]").check()
    expect(page.get_by_label("Which mix")).to_be_visible(visible=bool(mix))
    if mix:
        page.get_by_label("Which mix").select_option(mix)
    page.get_by_role("button", name="Show a code").click()
    return page.locator("[data-code]").inner_text()


def come_in(other: Page, code: str, name: str) -> None:
    other.get_by_label("Code").fill(code)
    other.get_by_label("What this device is called").fill(name)
    other.keyboard.press("Enter")
