"""The newcomer's way with the mouse; with the keyboard alone, and in another browser: test_firefox."""

import io
import re
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Download, Page, expect

from tests.helpers.studio import Studio, follow, heard_on, hears, moved_on, open_demo, state_is, told
from tests.helpers.waiting import wait_for

VERMILION_PIXELS = """id => {
  const canvas = document.getElementById(id);
  const data = canvas.getContext('2d').getImageData(0, 0, canvas.width, canvas.height).data;
  let count = 0;
  for (let n = 0; n < data.length; n += 4) if (data[n] > 150 && data[n + 1] < 110 && data[n + 2] < 90) count += 1;
  return count;
}"""


def held_peaks(page: Page) -> list[float]:
    texts = page.locator("output[id^=peak-]").all_inner_texts()
    return [float(t.replace("−", "-")) for t in texts if re.search(r"\d", t) and "×" not in t]


def check_sound(download: Download, shown_peak: str, seconds: float) -> None:
    """The file decodes, is as long as it should be, and peaks where the page says."""
    data, rate = soundfile.read(io.BytesIO(Path(download.path()).read_bytes()))
    assert rate == 48000
    assert soundfile.info(download.path()).subtype == "PCM_24"
    assert seconds <= len(data) / rate < seconds + 20
    peak = 20 * np.log10(np.abs(data).max())
    assert peak == pytest.approx(float(shown_peak.replace("−", "-")), abs=0.06)
    assert -40 < peak < 0
    for part in np.array_split(data[: int(rate * seconds)], 4):
        assert np.sqrt((part**2).mean()) > 1e-3, "a quarter of the take is silent"


def test_with_the_mouse(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.goto(studio.url)
    follow(page, "The Lamplighter's Ferry")
    expect(page.locator("#rows .row")).to_have_count(10)
    page.wait_for_function("document.querySelectorAll('output[data-zone]').length === 10")
    wait_for(lambda: len(held_peaks(page)) == 10 and min(held_peaks(page)) > -50)
    assert page.evaluate("document.documentElement.scrollHeight <= innerHeight"), "ten rows fit without scrolling"
    for name in ("Cello", "Frame drum", "Narrator"):
        page.get_by_role("checkbox", name=f"Arm {name}", exact=True).click()
        expect(page.get_by_role("checkbox", name=f"Arm {name}", exact=True)).to_be_checked()
    expect(page.locator("#capture-words")).to_have_text("Capture 3 tracks")
    page.get_by_role("button", name="Capture 3 tracks").click()
    state_is(page, "capturing")
    moved_on(page, 2.5)
    drum, harmonium = (page.locator(".row", has=page.locator(f"input[value='{n}']")) for n in ("Frame drum", "Harmonium"))
    lanes = [row.locator("canvas.lane").get_attribute("id") for row in (drum, harmonium)]
    drawn, empty = (page.evaluate(VERMILION_PIXELS, lane) for lane in lanes)
    assert drawn > 2 * empty, "the playhead stands in every lane, but only what is captured is drawn in vermilion"
    page.get_by_role("button", name="Stop capturing").click()
    state_is(page, "stopped")
    expect(page.locator("#deck-log")).to_contain_text("take")
    page.get_by_role("button", name="Listen here").click()
    page.get_by_role("button", name="Roll", exact=False).click()
    state_is(page, "rolling")
    hears(page)
    page.get_by_role("button", name="■ Stop", exact=True).click()
    state_is(page, "stopped")
    follow(page, "Takes")
    take = page.locator("[data-take]", has=page.get_by_role("button", name=re.compile("Play Cello, take"))).first
    take.get_by_role("button", name=re.compile("Play")).click()
    page.wait_for_function("window.cattailerTake && cattailerTake.currentTime > 0.3")
    with page.expect_download() as waiting:
        take.get_by_role("link", name=re.compile("Download")).click()
    shown = re.search(r"−\d+\.\d", take.inner_text())
    assert shown
    check_sound(waiting.value, shown[0], 2.0)


def test_names_gains_and_keys_by_typing(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    name = page.get_by_label("Name of the track fed by 7")
    name.fill("Pump organ")
    name.press("Enter")
    expect(page.get_by_role("checkbox", name="Arm Pump organ")).to_be_visible()
    page.wait_for_load_state("networkidle")
    gain = page.get_by_label("Preamp gain of Pump organ in dB")
    gain.fill("99")
    gain.press("Enter")
    expect(page.get_by_role("alert")).to_contain_text("outside")
    expect(gain).to_have_value("+39")
    gain.fill("41.2 dB")
    gain.press("Enter")
    expect(gain).to_have_value("+41")
    gain.fill("39")
    gain.press("Enter")
    expect(gain).to_have_value("+39")
    name.fill("Harmonium")
    name.press("Enter")
    expect(page.get_by_role("checkbox", name="Arm Harmonium")).to_be_visible()
    page.get_by_role("button", name="Capture").first.click()
    expect(page.get_by_role("alert")).to_contain_text("No track is armed")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("Roll and stop")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_be_hidden()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#bars")).to_have_text("bar 2 · beat 1 of 3")
    page.keyboard.press("Home")
    expect(page.locator("#bars")).to_have_text("bar 1 · beat 1 of 3")


def test_a_new_session_on_the_small_interface(page: Page, studio: Studio) -> None:
    page.goto(studio.url)
    page.get_by_label("Name").fill("Two at a table")
    page.get_by_label("Interface").select_option("marshgate-2")
    page.get_by_role("button", name="Make the session").click()
    page.wait_for_url("**/patch/")
    follow(page, "Tracks")
    page.get_by_label("How many tracks").fill("2")
    page.get_by_label("First source").focus()
    page.get_by_label("First source").select_option("in:1")
    page.get_by_role("button", name="Add", exact=True).click()
    expect(page.locator("#rows [data-track-row]")).to_have_count(2)
    page.keyboard.press("5")
    page.wait_for_url("**/capture")
    expect(page.locator("#rows .row")).to_have_count(2)
    told(page)
    page.get_by_label("Preamp gain of Track 1 in dB").fill("30")
    page.keyboard.press("Enter")
    assert held_peaks(page) == []
    page.get_by_role("button", name="0 V at socket 1").click()
    expect(page.get_by_role("button", name="48 V at socket 1")).to_have_attribute("aria-pressed", "true")
    wait_for(lambda: len(held_peaks(page)) >= 1)
    page.goto(f"{studio.url}/s/1/capture")
    expect(page.locator("#away")).to_contain_text("Another session is open in the studio: “Two at a table”")
    page.get_by_role("button", name="Open this session").click()
    expect(page.locator("#away")).to_be_hidden()
    told(page)
    expect(page.locator("#rows .row")).to_have_count(10)


def runs_in_log(page: Page) -> int:
    count = page.locator("#deck-log li").count()
    assert count < 18, "the log shows twenty"
    return count


def test_a_page_on_which_somebody_types_shows_what_others_do(page: Page, other: Page, studio: Studio) -> None:
    open_demo(page, studio)
    other.goto(f"{studio.url}/s/1/capture")
    told(other)
    name, last = page.locator("input[name=name]").first, page.get_by_label("Range to")
    page.get_by_label("Range from").fill("5")
    last.fill("9")
    last.press("Enter")
    other.locator(".arm").nth(2).check()
    expect(page.locator("#capture-words")).to_have_text("Capture 1 track")
    expect(last).to_be_focused()
    name.fill("Half of a na")
    name.evaluate("e => e.setSelectionRange(4, 4)")
    other.locator(".arm").nth(3).check()
    expect(page.locator("#capture-words")).to_have_text("Capture 2 tracks")
    page.keyboard.type("!")
    expect(name).to_have_value("Half! of a na")
    other.locator("input[name=name]").first.fill("Gamba")
    other.keyboard.press("Enter")
    name.press("Enter")
    expect(page.locator("#message")).to_contain_text("it is “Gamba” now")
    expect(name).to_have_value("Gamba")
    other.keyboard.press("Control+z")


def test_what_was_just_heard_is_kept_with_one_key_and_again_is_another(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    heard_on(page, 1)
    page.get_by_role("checkbox", name="Arm Cello", exact=True).click()
    expect(page.get_by_role("checkbox", name="Arm Cello", exact=True)).to_be_checked()
    before = runs_in_log(page)
    page.keyboard.press("b")
    expect(page.locator("#message")).to_contain_text("is being kept")
    expect(page.locator("#deck-log li")).to_have_count(before + 1)
    expect(page.locator("#deck-facts")).to_contain_text("30 s are always held")
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    moved_on(page, 1)
    page.keyboard.press("a")
    expect(page.locator("#deck-log li")).to_have_count(before + 2)
    state_is(page, "capturing")
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped")
    expect(page.locator("#deck-log li")).to_have_count(before + 3)
