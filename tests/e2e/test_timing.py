"""Timing in the browser: pick a buffer, measure, use, capture an overdub of the click, see it aligned."""

import io
import re
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, Route, expect

from tests.helpers.studio import Studio, captured, follow, heard_on, new_session, open_demo, post, state_is, told


@pytest.fixture(autouse=True)
def as_it_was(studio: Studio) -> Iterator[None]:
    yield
    for path, fields in (
        ("open", {}), ("timing/use", {"use": "tracking"}), ("timing/buffer", {"period": 1024}), ("timing/trip/forget", {}),
        ("timing/stand-in/loop", {"output": 1, "socket": 12, "way": "none"}), ("timing/stand-in/claim", {"samples": 0}),
        ("timing/tempo", {"bpm": 92}),
    ):
        studio.post(f"/s/1/{path}", **{name: str(value) for name, value in fields.items()})


def test_pick_a_buffer_measure_use_overdub_and_see_it_aligned(page: Page, studio: Studio) -> None:
    here = new_session(page, studio, "Overdub of the click")
    path = here.removeprefix(studio.url)
    told(page)
    page.keyboard.press("3")
    page.wait_for_url("**/timing/")
    told(page)
    page.get_by_role("button", name="256 samples for tracking").click()
    expect(page.get_by_role("button", name="Tracking: 256")).to_have_attribute("aria-pressed", "true")
    page.get_by_role("button", name="Measure this machine now").click()
    expect(page.locator("#rows").get_by_text(re.compile(r"^\d+ %$"))).to_have_count(6, timeout=30_000)
    follow(page, "Round trip")
    post(page, f"{path}/timing/stand-in/claim", samples=41)
    page.locator("#loop-out").fill("1")
    page.locator("#loop-in").fill("12")
    page.get_by_role("button", name="plug a cable").click()
    expect(page.get_by_text("cable: output 1 → socket 12.")).to_be_visible()
    page.locator("select[name=socket]").select_option("11")
    page.locator("[data-press=measure]").click()
    expect(page.locator("#result")).to_contain_text("the signal did at socket 12. Wrong socket?", timeout=30_000)
    page.locator("select[name=socket]").select_option("12")
    page.locator("[data-press=measure]").click()
    expect(page.locator("#result")).to_contain_text("41 too few", timeout=30_000)
    expect(page.locator("#result")).to_contain_text("629.00 samples")
    page.locator("[data-press=use-this]").click()
    expect(page.locator("#result")).to_contain_text("Measured once more, it lands within one sample", timeout=30_000)
    expect(page.locator("#timing-facts")).to_contain_text("✓ measured")

    post(page, f"{path}/patch/tracks", count=1, feed="in:12", name="Loop")
    page.goto(f"{here}/patch/routes?grid=true")
    told(page)
    cell = page.locator("#grid tr", has_text="Loop").first.locator("td.to.on")
    cell.click()  # what comes back must not go out again
    expect(page.locator("#grid tr", has_text="Loop").first.locator("td.to.on")).to_have_count(0)
    page.goto(f"{here}/capture")
    told(page)
    page.get_by_role("checkbox", name="Arm Loop").click()
    expect(page.locator("#capture-words")).to_have_text("Capture 1 track")
    page.keyboard.press("p")
    expect(page.locator("[data-press=click]").first).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Home")
    captured(page, 3)
    page.goto(f"{here}/takes/")
    take = page.locator("[data-take]", has=page.get_by_role("button", name=re.compile("Play Loop, take"))).first
    with page.expect_download() as waiting:
        take.get_by_role("link", name=re.compile("Download")).click()
    data, rate = soundfile.read(io.BytesIO(Path(waiting.value.path()).read_bytes()))
    high = np.abs(data)
    for beat in range(1, 4):
        at = round(beat * 60 / 120 * rate)
        around = high[at - 600 : at + 600]
        assert abs(int(np.argmax(around > 0.5 * around.max())) - 600) <= 1, "the captured click lies on the grid"


def test_the_tempo_map_by_typing_and_tapping(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    page.goto(f"{studio.url}/s/1/timing/tempo")
    told(page)
    page.get_by_label("Tempo from bar", exact=True).fill("9")
    page.get_by_label("Tempo in quarters a minute").fill("1e9")
    page.get_by_role("button", name="Set the tempo").click()
    expect(page.get_by_role("alert")).to_contain_text("tempo must be 10 to 400")
    page.get_by_label("Tempo in quarters a minute").fill("120")
    page.get_by_role("button", name="Set the tempo").click()
    expect(page.locator("#bpm-9")).to_have_value("120")
    page.locator("#rows .row", has=page.locator("#bpm-1")).get_by_role("button", name="steady").click()
    expect(page.locator("#rows .row", has=page.locator("#bpm-1")).get_by_role("button", name="changes evenly")).to_be_visible()
    page.get_by_label("Beats in a bar").fill("0")
    page.get_by_role("button", name="Set the meter").click()
    expect(page.get_by_role("alert")).to_contain_text("no such meter: 0/4")
    page.evaluate("document.activeElement.blur()")
    held: list[Route] = []
    page.route("**/tap", lambda route: held.append(route) if not held else route.continue_())
    for _ in range(6):
        page.keyboard.press("t")
        page.wait_for_timeout(500)
    expect(page.locator("#tapped")).to_contain_text(re.compile(r"\d+\.\d ± \d"))
    with page.expect_response("**/tap"):
        held[0].continue_()  # what the first tap said comes last
    page.wait_for_timeout(100)
    expect(page.locator("#tapped")).to_contain_text(re.compile(r"\d+\.\d ± \d"))
    page.get_by_role("button", name="Take the change at bar 9 away").click()
    expect(page.locator("#bpm-9")).to_have_count(0)


def test_counted_in_by_keyboard_and_let_in_afterwards(page: Page, studio: Studio) -> None:
    """I steps the count-in, Shift+Space begins it; the Deck says where it is; Takes lets in what was counted."""
    here = new_session(page, studio, "Counted in")
    post(page, f"{here.removeprefix(studio.url)}/patch/tracks", count=1, feed="in:6", name="Drum")
    page.goto(f"{here}/capture")
    told(page)
    page.get_by_role("checkbox", name="Arm Drum").click()
    expect(page.locator("#capture-words")).to_have_text("Capture 1 track")
    page.keyboard.press("i")
    expect(page.locator("[data-press=count]")).to_have_text("1 bar")
    page.keyboard.press("i")
    expect(page.locator("[data-press=count]")).to_have_text("2 bars")
    page.keyboard.press("Shift+Space")
    state_is(page, "counting")
    expect(page.locator("#bars")).to_have_text(re.compile(r"in 2 bars · beat \d of 4"))
    expect(page.locator("#clock")).to_have_text("00:00.000")
    expect(page.locator("[data-press=stop-count]")).to_be_visible()
    page.keyboard.press("Space")
    state_is(page, "stopped")
    expect(page.locator("#deck-log")).to_contain_text("Nothing captured yet")
    page.keyboard.press("Shift+Space")
    state_is(page, "counting")
    state_is(page, "capturing")
    expect(page.locator("#bars")).to_have_text(re.compile(r"bar 1 · beat [12] of 4"))
    heard_on(page, 1.2)
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped")
    page.goto(f"{here}/takes/")
    lead_in = page.get_by_label("Lead-in heard before Drum, take 1")
    expect(lead_in).to_have_value("hidden")
    lead_in.select_option("beat")
    page.wait_for_function("document.querySelector('[data-take] select').value === 'beat'")
    page.keyboard.press("Control+z")
    expect(page.locator("#message")).to_contain_text("the last beat")
    expect(page.get_by_label("Lead-in heard before Drum, take 1")).to_have_value("hidden")


def test_click_silences_loop_and_a_click_for_other_programs(page: Page, studio: Studio) -> None:
    here = new_session(page, studio, "Click and loop")
    page.goto(f"{here}/timing/click")
    told(page)
    page.get_by_label("Silent from bar").fill("9")
    page.get_by_label("Silent until bar, empty for the end").fill("4")
    page.get_by_role("button", name="No click there").click()
    expect(page.get_by_role("alert")).to_contain_text("until a later one")
    page.get_by_label("Silent until bar, empty for the end").fill("")
    page.get_by_role("button", name="No click there").click()
    expect(page.get_by_text("from bar 9 on")).to_be_visible()
    heard_on(page, 0.6)  # the rows come once more after a press
    page.locator("input[name=level_db]").focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("-1")
    post(page, f"{here.removeprefix(studio.url)}/timing/clicking/count")  # as from another page, in the middle of a figure
    heard_on(page, 1)
    page.keyboard.type("8")
    page.keyboard.press("Tab")
    page.evaluate("document.activeElement.blur()")
    expect(page.locator("[data-press=count]")).to_have_text("1 bar")
    expect(page.locator("input[name=level_db]")).to_have_value("-18")
    mix = page.locator("input[name=mixes][type=checkbox]")
    expect(mix).to_have_count(1)
    mix.click()
    expect(page.get_by_role("alert")).to_contain_text("in one mix at least")
    expect(mix).to_be_checked()
    for words in ("2 bars", "4 bars", "off"):
        page.keyboard.press("i")
        expect(page.locator("[data-press=count]")).to_have_text(words)
    page.get_by_label("Print until bar").fill("5")
    page.get_by_role("button", name="Print it as a take").click()
    expect(page.locator("#message")).to_contain_text("lies on the track Click")
    page.get_by_label("Range from").fill("2")
    page.get_by_label("Range to").fill("2")
    page.keyboard.press("Enter")
    page.evaluate("document.activeElement.blur()")
    expect(page.get_by_label("Range to")).to_have_attribute("data-was", "2")
    page.keyboard.press("o")
    expect(page.locator("[data-press=loop]")).to_have_attribute("aria-pressed", "true")
    page.goto(f"{here}/takes/")
    expect(page.get_by_role("button", name="Play Click, take 1")).to_be_visible()
    page.goto(f"{here}/capture")
    told(page)
    page.keyboard.press("ArrowRight")
    expect(page.locator("#bars")).to_have_text(re.compile("bar 2 "))
    page.keyboard.press("Space")
    state_is(page, "rolling")
    heard_on(page, 2.5)
    expect(page.locator("#bars")).to_have_text(re.compile("bar 2 "))
    page.keyboard.press("Space")
    state_is(page, "stopped")


def test_a_busy_computer_then_another_rate(page: Page, studio: Studio) -> None:
    """Dropouts are listed with their load, marked in the run log, and a buffer is proposed; then the take is converted."""
    here = new_session(page, studio, "Busy")
    path = here.removeprefix(studio.url)
    post(page, f"{path}/patch/tracks", count=1, feed="in:3", name="Cello")
    page.goto(f"{here}/timing/")
    told(page)
    post(page, f"{path}/tracks/arm", armed="true")
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    page.get_by_role("button", name="very").click()
    expect(page.get_by_label("Dropouts")).to_contain_text(re.compile(r"bar \d+, beat \d\s*capturing\s*\d+\.\d ms lost, computing took"), timeout=30_000)
    expect(page.get_by_label("Dropouts")).to_contain_text(re.compile("would have held|longer than any buffer"))
    page.get_by_role("button", name="off", exact=True).last.click()
    page.keyboard.press("Shift+Space")
    state_is(page, "stopped")
    page.goto(f"{here}/capture")
    expect(page.locator("#deck-log")).to_contain_text(re.compile(r"✗ \d+ dropout"))
    expect(page.locator("#deck-log")).to_contain_text(re.compile(r"bar \d+: \d+\.\d ms, load \d+ %"))
    lanes = page.evaluate(f"fetch('{path}/capture/lanes?at=0&columns=10').then(r => r.json())")
    assert lanes["dropouts"]
    page.goto(f"{here}/timing/rate")
    told(page)
    other = page.context.new_page()
    other.goto(f"{here}/capture")
    told(other)
    other.keyboard.press("h")
    other.wait_for_function("cattailerListen.heard > 0")
    page.get_by_role("row", name=re.compile("^96 kHz")).get_by_role("button", name="Convert and use").click()
    expect(page.get_by_role("row", name=re.compile("^96 kHz"))).to_contain_text("in use", timeout=30_000)
    expect(page.get_by_role("row", name=re.compile("^96 kHz"))).to_contain_text("there")
    other.wait_for_function("cattailerListen.rate_hz === 96000 && cattailerListen.heard > 0")
    page.keyboard.press("Control+z")
    expect(page.get_by_role("row", name=re.compile("^48 kHz"))).to_contain_text("in use")
    other.wait_for_function("cattailerListen.rate_hz === 48000 && cattailerListen.heard > 0")
    other.keyboard.press("h")
    expect(other.locator("#listen-words")).to_have_text("not heard here")
    other.close()
