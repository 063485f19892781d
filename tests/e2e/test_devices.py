"""Letting devices in: a player's phone, an assistant's tablet; what they may, and how they are put out."""

import signal
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect

from tests.helpers.letting_in import code_for, come_in
from tests.helpers.studio import Studio, heard_on, open_demo, state_is
from tests.helpers.waiting import wait_for


@pytest.fixture
def other(browser: Browser) -> Iterator[Page]:
    """Another device, which has nothing of the first; it takes the studio's certificate as it is."""
    context = browser.new_context(viewport={"width": 390, "height": 844}, ignore_https_errors=True, bypass_csp=True)
    yield context.new_page()
    context.close()


def test_a_players_phone_opens_one_mix_and_is_put_out_while_it_listens(page: Page, other: Page, studio: Studio) -> None:
    open_demo(page, studio)
    code = code_for(page, studio, "player", "Cue band")
    other.goto(studio.outside)
    assert other.url == f"{studio.outside}/door"
    come_in(other, "000 000" if code != "000 000" else "111 111", "")
    expect(other.get_by_role("alert")).to_contain_text("not good")
    come_in(other, code, "Marta’s phone")
    other.wait_for_url("**/player")
    expect(page.locator("[data-spent]")).to_be_visible()
    expect(page.locator("#devices")).to_contain_text("Marta’s phone")
    expect(other.locator("#bars")).to_contain_text("bar")

    level = other.get_by_role("slider", name="Cello", exact=False).first
    before = int(level.input_value())
    level.focus()
    other.keyboard.press("ArrowLeft")
    expect(level).to_have_attribute("aria-valuetext", f"−{1 - before} dB" if before < 1 else f"{before - 1} dB")
    page.goto(f"{studio.url}/s/1/listen/ears")
    expect(page.get_by_label("Cello in Cue band: −1")).to_be_visible()

    refused = other.evaluate("""() => Promise.all(['/s/1/roll', '/s/1/capture', '/s/1/tracks/arm', '/api/1/roll', '/devices/offer'].map(
        (path) => fetch(path, { method: 'POST' }).then(({ status }) => status)))""")
    assert refused == [403] * 5
    assert page.evaluate("document.body.dataset.state") == "stopped"

    other.get_by_role("button", name="Listen here").click()
    other.wait_for_function("window.cattailerListen?.heard > 3", timeout=30_000)
    studio.kill("engine", signal.SIGSTOP)
    # The file ends while nothing comes, and once the engine is there again, so is the next one.
    other.wait_for_function("cattailerListen.heard < 2", timeout=60_000)
    other.wait_for_function("cattailerListen.heard > 3", timeout=60_000)
    page.goto(f"{studio.url}/devices")
    page.get_by_role("button", name="Put out Marta’s phone").click()
    other.wait_for_url("**/door", timeout=20_000)
    assert other.request.get(f"{studio.outside}/player", headers={"Accept": "*/*"}).status == 401
    expect(page.locator("#devices")).not_to_contain_text("Marta’s phone")


def test_an_assistant_comes_in_over_https_reads_and_marks(page: Page, other: Page, studio: Studio) -> None:
    open_demo(page, studio)
    code = code_for(page, studio, "assistant")
    other.goto(f"{studio.outside}/")
    other.get_by_role("link", name="/door").click()
    other.wait_for_url(f"{studio.secure}/door")
    come_in(other, code, "Lena’s tablet")
    other.wait_for_url(f"{studio.secure}/")
    other.goto(f"{studio.secure}/s/1/capture")
    heard_on(other, 0.2)
    assert other.evaluate("isSecureContext")
    other.keyboard.press("Space")
    expect(other.get_by_role("alert").last).to_contain_text("assistant")
    assert other.evaluate("document.body.dataset.state") == "stopped"
    other.evaluate("fetch('/s/1/mark', {method: 'POST', body: new URLSearchParams({text: 'from the tablet'})})")
    page.goto(f"{studio.url}/s/1/takes/")
    marks = wait_for(lambda: page.request.get(f"{studio.url}/s/1/capture").text().count("from the tablet"))
    assert marks
    other.keyboard.press("h")
    other.wait_for_function("window.cattailerListen?.heard > 0", timeout=30_000)
    other.goto(f"{studio.outside}/s/1/capture")
    assert other.url.startswith(studio.secure), "its pages are sent on to HTTPS"


def test_an_engineer_works_from_another_machine_as_on_this_one(page: Page, other: Page, studio: Studio) -> None:
    open_demo(page, studio)
    code = code_for(page, studio, "engineer")
    other.goto(f"{studio.outside}/door")
    come_in(other, code, "")
    expect(other.get_by_role("alert")).to_contain_text("HTTPS only")
    code = code_for(page, studio, "engineer")
    other.goto(f"{studio.secure}/door")
    come_in(other, code, "")
    other.wait_for_url(f"{studio.secure}/")
    other.goto(f"{studio.secure}/s/1/capture")
    heard_on(other, 0.2)
    other.keyboard.press("Space")
    state_is(other, "rolling")
    other.keyboard.press("Space")
    state_is(other, "stopped")
