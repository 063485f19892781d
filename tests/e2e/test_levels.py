"""Gain staging in the browser: from wrong gains to all rows in the window, with mouse and with keyboard."""

import re
import urllib.parse
import urllib.request
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from cattailer.services.session.demo import INPUTS
from tests.helpers.studio import Studio, follow, heard_on, moved_on, open_demo, post, told


def open_levels(page: Page, studio: Studio, view: str = "rows") -> None:
    open_demo(page, studio)
    page.goto(f"{studio.url}/s/1/levels/{view}")
    told(page)


@pytest.fixture(autouse=True)
def as_it_was(studio: Studio) -> Iterator[None]:
    """The other tests expect the demo's gains and its players."""
    yield
    for path, fields in (
        *((f"inputs/{i.socket}/gain", {"gain_db": i.gain_db}) for i in INPUTS), ("players", {"mode": "follow"}),
        ("inputs/3/phantom", {"on": "true"}), ("levels/stand-in/hum", {"socket": 6}), ("levels/meters", {}),
        ("tracks/arm", {"armed": "false"}),
    ):
        urllib.request.urlopen(f"{studio.url}/s/1/{path}", urllib.parse.urlencode(fields).encode())


def test_a_sound_check_from_wrong_gains_to_the_window(page: Page, studio: Studio) -> None:
    open_levels(page, studio)
    for socket, gain in enumerate((44, 44, 12, 36, 62, 18, 24, 46, 12, 45), 1):
        post(page, f"/s/1/inputs/{socket}/gain", gain_db=gain)
    follow(page, "Live room")
    page.get_by_role("button", name="All check").click()
    follow(page, "Rows", exact=True)
    expect(page.locator("#rows .row-level")).to_have_count(10)
    page.get_by_role("button", name="Listen to a check").click()
    expect(page.get_by_text("● Listening to a check")).to_be_visible()
    page.wait_for_function("Number.parseInt(document.querySelector('[data-since]').textContent) >= 17", timeout=60_000)  # eight bars
    page.get_by_role("button", name="End, and advise").click()
    expect(page.locator("#message")).to_contain_text("10 rows gave a signal")
    cello = page.locator("#socket-3")
    expect(cello).to_contain_text("Turn up")
    cello.get_by_role("button", name="The sum for Cello").click()
    expect(page.locator("#why-3")).to_contain_text("People play about 6 dB louder than they check")
    page.keyboard.press("Escape")
    cello.get_by_role("button", name="Apply to Cello").click()
    expect(cello).to_contain_text("In the window. Leave it.")
    page.get_by_role("button", name=re.compile("Apply all|Apply the one")).click()
    expect(page.locator("#rows .text-reed", has_text="In the window. Leave it.")).to_have_count(10)

    page.get_by_role("button", name="peak", exact=True).click()
    post(page, "/s/1/players", mode="follow")
    post(page, "/s/1/tracks/arm", armed="true")
    expect(page.locator("#capture-words")).to_have_text("Capture 10 tracks")
    page.keyboard.press("Shift+Space")
    page.wait_for_function("document.body.dataset.state === 'capturing'")
    moved_on(page, 9)
    page.keyboard.press("Shift+Space")
    page.wait_for_function("document.body.dataset.state === 'stopped'")
    page.goto(f"{studio.url}/s/1/takes/")
    expect(page.locator("[data-take]").nth(9)).to_be_visible()
    peaks = [float(t.replace("−", "-")) for t in re.findall(r"−\d+\.\d", " ".join(page.locator("[data-take]").all_inner_texts()))]
    assert peaks
    assert max(peaks) < -9, "nothing clips"
    assert sum(-24 < p < -10 for p in peaks[:10]) >= 8


def test_meters_say_what_they_show_and_a_row_is_set_by_keyboard(page: Page, studio: Studio) -> None:
    open_levels(page, studio)
    post(page, "/s/1/inputs/7/gain", gain_db=30)
    gain = page.get_by_label("Preamp gain of Harmonium in dB")
    expect(gain).to_have_value("+30")
    gain.focus()
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowUp")
    expect(gain).to_have_value("+32")
    page.keyboard.press("Enter")
    expect(page.locator("#knob-7")).to_have_attribute("aria-valuetext", "+32 dB")
    page.get_by_role("button", name="low cut at socket 7").click()
    expect(page.get_by_role("button", name="low cut at socket 7")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="low cut at socket 7").click()
    expect(page.get_by_role("button", name="low cut at socket 7")).to_have_attribute("aria-pressed", "false")
    kind, point = page.get_by_label("What the meters show"), page.get_by_label("Where the meters listen")
    for value in ("true", "vu", "loudness", "peak"):
        kind.select_option(value)
        page.wait_for_function("value => document.getElementById('meter-kind').value === value && document.activeElement.id !== 'meter-kind'", arg=value)
        heard_on(page, 0.4)
        expect(kind).to_have_value(value)
    point.select_option("channel")
    expect(point).to_have_class(re.compile("unusual"))
    point.select_option("input")
    expect(point).not_to_have_class(re.compile("unusual"))
    low = page.get_by_label("Lowest peaks aimed at, dBFS")
    low.fill("3")
    low.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("A target window lies between")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("c")
    expect(page.get_by_text("● Listening to a check")).to_be_visible()
    page.keyboard.press("c")
    expect(page.locator("#message")).to_contain_text(re.compile("too short|gave a signal"))
    page.keyboard.press("Control+z")


def test_what_is_wrong_is_told_and_cured_and_the_tuner_reads(page: Page, studio: Studio) -> None:
    open_levels(page, studio, "room")
    expect(page.get_by_text("Stand-in: no real room")).to_be_visible()
    page.get_by_role("button", name="All rest").click()
    page.get_by_role("button", name="Hum at socket 6").click()
    expect(page.get_by_role("button", name="Hum at socket 6")).to_have_attribute("aria-pressed", "true")
    post(page, "/s/1/inputs/3/phantom", on="false", sure="true")
    facts = page.locator("#level-facts")
    expect(facts).to_contain_text("Frame drum hums at 50 Hz", timeout=30_000)
    expect(facts).to_contain_text("Cello is silent: a condenser needs 48 V", timeout=30_000)
    facts.get_by_role("button", name="48 V on").click()
    expect(facts).not_to_contain_text("Cello is silent", timeout=30_000)
    page.get_by_role("button", name="Hum at socket 6").click()
    page.get_by_role("group", name="Ask the cello to").get_by_role("button", name="play").click()
    page.get_by_label("Tuner").select_option("4")
    page.wait_for_function("/[A-G]/.test(document.getElementById('note').textContent)", timeout=20_000)
    page.get_by_label("Tuner").select_option("0")
    follow(page, "Pairs")
    page.get_by_label("First row").select_option("3")
    page.get_by_label("Second row").select_option("4")
    heard_on(page, 4.5)
    page.get_by_role("button", name="Compare").click()
    expect(page.locator("#compared")).to_contain_text("60 cm of air")
    page.get_by_role("button", name="Note the offset").click()
    expect(page.locator("#message")).to_contain_text("Noted")
    page.keyboard.press("Control+z")
    follow(page, "Wide")
    expect(page.locator("#rows canvas[data-meter]")).to_have_count(8)
    post(page, "/s/1/players", mode="follow")
