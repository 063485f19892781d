"""Pages over a wire that is slow, cut, dead or half open: they say so, and are true again as soon as it is."""

from collections.abc import Iterator
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Page, expect

from tests.helpers.studio import Studio, captured, heard_on, open_demo, told
from tests.helpers.wire import Wire, wire_to


@pytest.fixture
def wire(page: Page, studio: Studio) -> Iterator[Wire]:
    """The Capture sheet of the demo is open over it."""
    open_demo(page, studio)
    with wire_to(urlsplit(studio.url).port or 0) as made:
        page.emulate_media(reduced_motion="no-preference")
        page.goto(f"{made.url}/s/1/capture")
        told(page)
        yield made


def renamed(page: Page, studio: Studio, name: str) -> None:
    """On another page, and shown on this one."""
    field = page.locator("input[id^=name-]").first
    number = (field.get_attribute("id") or "").removeprefix("name-")
    studio.post(f"/s/1/tracks/{number}/name", name=name)
    expect(field).to_have_value(name)


def test_a_slow_network_shows_what_is_and_not_what_was(page: Page, studio: Studio, wire: Wire) -> None:
    wire.down_bytes_per_s = 62_500
    heard_on(page, 2)
    told_of = "[cattailerStats.bytes, cattailerStats.frames]"
    before = page.evaluate(told_of)
    heard_on(page, 3)
    size, frames = (now - was for now, was in zip(page.evaluate(told_of), before, strict=True))
    assert 30 * 8 * size / frames < 100_000, "thirty frames a second, idle, with ten rows"
    page.locator(".arm").first.check()
    captured(page, 0)
    wire.down_bytes_per_s = 300
    expect(page.locator("#away")).to_contain_text("The network is slow: this page is")
    wire.down_bytes_per_s = None
    expect(page.locator("#away")).to_be_hidden()


def test_a_line_that_is_half_open_is_made_anew(page: Page, studio: Studio, wire: Wire) -> None:
    wire.bury()
    page.locator(".arm").nth(1).click(no_wait_after=True)  # it goes where nobody answers
    expect(page.locator("#away")).to_contain_text("Nothing received from the studio machine")
    page.wait_for_function("cattailerStats.reconnects > 0")
    expect(page.locator("#away")).to_be_hidden()
    expect(page.locator("#message")).to_contain_text("No answer came")
    expect(page.locator(".arm").nth(1)).not_to_be_checked()
    page.locator(".arm").nth(1).check()
    expect(page.get_by_role("button", name="Capture 1 track")).to_be_visible()
    renamed(page, studio, "Dulcimer bass")
    studio.post("/s/1/undo")


def test_what_was_pressed_while_it_was_cut_leaves_the_page_true(page: Page, studio: Studio, wire: Wire) -> None:
    wire.away = True
    wire.cut()
    page.locator(".arm").nth(1).click(no_wait_after=True)
    page.keyboard.press("Control+z")
    expect(page.locator("#message")).to_contain_text("does not answer, so nothing was changed")
    expect(page.locator("#away")).to_be_visible()
    wire.away = False
    expect(page.locator("#away")).to_be_hidden()
    renamed(page, studio, "Dulcimer bass")
    expect(page.locator(".arm").nth(1)).not_to_be_checked()
    studio.post("/s/1/undo")


def test_the_page_says_which_is_gone(page: Page, studio: Studio, wire: Wire) -> None:
    """The machine, or only its pages; ``test_faults`` has the engine."""
    said = "() => { window.said = new Set(); new MutationObserver(() => said.add(document.getElementById('away-words').textContent))" \
           ".observe(document.getElementById('away-words'), { childList: true, characterData: true, subtree: true }); }"
    wire.dead = True
    expect(page.locator("#away")).to_contain_text("No connection to the studio machine", timeout=40_000)
    wire.dead = False
    expect(page.locator("#away")).to_be_hidden()
    page.goto(f"{studio.url}/s/1/capture")
    told(page)
    page.evaluate(said)
    studio.kill("web")
    page.wait_for_function("[...said].some((text) => text.includes('its pages have stopped'))")
    expect(page.locator("#away")).to_be_hidden(timeout=60_000)


def test_a_sound_output_that_opens_late_is_heard(page: Page, studio: Studio) -> None:
    page.add_init_script(
        "const added = AudioWorklet.prototype.addModule;"
        "AudioWorklet.prototype.addModule = async function (from) { await new Promise((go) => setTimeout(go, 6000)); return added.call(this, from); };")
    open_demo(page, studio)
    page.get_by_role("button", name="Listen here").click()
    expect(page.locator("#listen-words")).to_have_text("no sound output yet …")
    expect(page.locator("#listen-words")).to_contain_text("ms behind", timeout=60_000)
    expect(page.get_by_role("button", name="Stop listening")).to_have_attribute("aria-pressed", "true")


def test_without_a_sound_output_listening_says_so(page: Page, studio: Studio) -> None:
    page.add_init_script("AudioWorklet.prototype.addModule = () => new Promise(() => {});")
    open_demo(page, studio)
    page.get_by_role("button", name="Listen here").click()
    expect(page.locator("#listen-words")).to_have_text("no sound output yet …")
    expect(page.locator("#message")).to_contain_text("cannot open a sound output", timeout=60_000)
    expect(page.get_by_role("button", name="Listen here")).to_have_attribute("aria-pressed", "false")
    expect(page.locator("#listen-words")).to_have_text("not heard here")
