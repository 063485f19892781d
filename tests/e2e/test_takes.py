"""Passes become one performance: chosen by keyboard, joined, cut and tightened, and what is written is what was chosen."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from cattailer.media import wavfile
from tests.helpers.studio import Studio, decoded, follow, open_demo, state_is, told

FOUR = ("Dulcimer left", "Dulcimer right", "Cello", "Frame drum")
TRACKS = ("1", "2", "3", "6")


@pytest.fixture(autouse=True)
def as_it_was(studio: Studio, page: Page) -> Iterator[None]:
    """Other tests capture from the beginning, once, and hear the newest on top."""
    yield
    studio.post("/s/1/capturing", name="passes", value="0")
    if page.locator('[data-press="loop"][aria-pressed="true"]').count():
        studio.post("/s/1/range/loop")
    studio.post("/s/1/locate", position="0")
    studio.post("/s/1/listen/alone")
    studio.post("/s/1/players", mode="follow")
    for track in TRACKS:
        studio.post("/s/1/takes/sheet/comps/use", track=track, comp="0")


def test_the_best_of_three_passes_is_chosen_joined_cut_tightened_and_written(page: Page, studio: Studio) -> None:
    open_demo(page, studio)
    for name in FOUR:
        page.get_by_role("checkbox", name=f"Arm {name}", exact=True).check()
    studio.post("/s/1/capturing", name="passes", value="3")
    studio.post("/s/1/range", first="41", last="42")
    studio.post("/s/1/range/loop")
    page.reload()
    told(page)
    studio.post("/s/1/players", mode="perform")
    page.keyboard.press("Shift+Space")
    state_is(page, "capturing")
    state_is(page, "stopped", 60)

    # Phrases: two, drawn by hand, over these passes.
    page.goto(f"{studio.url}/s/1/takes/sheet/")
    told(page)
    page.locator("#sheet-track").select_option(label="Dulcimer left")
    page.wait_for_url("**/takes/sheet/?track=*")
    for place in ("41", "42"):
        page.get_by_label("First bar, beat or time").fill(place)
        page.get_by_label("Last bar, beat or time").fill(place)
        page.get_by_role("button", name="Draw", exact=True).click()
        expect(page.locator(".sheet-head")).to_contain_text(f"bar {place}")
    heads = page.locator(".sheet-head .figures")
    columns = [heads.nth(n).inner_text() for n in range(heads.count())]
    first, second = columns.index("bar 41"), columns.index("bar 42")
    rows = page.locator("[data-row]")
    expect(rows.first.locator(".sheet-cell").nth(first)).to_have_attribute("data-heard", "whole")

    # By keyboard: the oldest pass in the first phrase, the middle one in the second.
    rows.first.locator(".sheet-cell").nth(first).focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    page.keyboard.press("v")
    expect(rows.nth(2).locator(".sheet-cell").nth(first)).to_have_attribute("data-heard", "whole")
    page.keyboard.press("+")
    expect(rows.nth(2).locator(".sheet-cell").nth(first)).to_contain_text("good")
    page.keyboard.press("ArrowUp")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("v")
    expect(rows.nth(1).locator(".sheet-cell").nth(second)).to_have_attribute("data-heard", "whole")
    expect(page.get_by_label("Name of the comp comp 1")).to_be_visible()
    page.keyboard.press("y")
    expect(rows.first.locator(".sheet-cell").nth(first)).to_have_attribute("data-heard", "whole")
    page.keyboard.press("y")
    expect(rows.nth(1).locator(".sheet-cell").nth(second)).to_have_attribute("data-heard", "whole")

    # The seam between both is moved where less is heard of it, or a little by hand; a cough is erased; a fade.
    follow(page, "Cut and join", exact=True)
    lines = page.locator(".piece-line")
    clock = page.locator("#clock").inner_text()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    expect(page.locator('.piece-line[aria-current="true"]')).to_have_count(1)
    expect(page.locator("#clock")).to_have_text(clock)
    numbers = [lines.nth(n).get_attribute("data-number") for n in range(lines.count())]
    lines.last.click()
    expect(page.locator("#close-up")).to_contain_text("Seam with take")
    expect(page.locator("#proposal")).to_contain_text("seam", ignore_case=True, timeout=10_000)
    # Both sides are drawn, in two inks.
    page.wait_for_function("""() => {
      const c = document.getElementById("seam-wave"), d = c?.getContext("2d").getImageData(0, 0, c.width, c.height).data;
      return d && new Set(Array.from({ length: d.length / 4 }, (_, n) => d.slice(4 * n, 4 * n + 3).join())).size > 20;
    }""")
    seam = int(lines.last.get_attribute("data-start") or 0)
    page.get_by_label("Length of the crossfade").fill("20")
    page.get_by_label("Length of the crossfade").press("Enter")
    page.get_by_label("Length of the crossfade").blur()
    expect(lines.last).to_contain_text("seam 20 ms")
    studio.post("/s/1/takes/cut/seam/move", track=track_of(page), at=str(seam), to=str(seam + 4800))
    expect(page.locator(f'[data-start="{seam + 4800}"]')).to_be_visible()
    end = int(lines.last.get_attribute("data-stop") or 0)
    studio.post("/s/1/takes/cut/erase", track=track_of(page), start=str(end - 20_000), stop=str(end - 10_000))
    expect(page.locator(f'[data-stop="{end - 20_000}"]')).to_be_visible()
    lines.last.click()
    expect(page.locator("#close-up")).to_contain_text("0.208 s")
    page.locator("[name=fade_out_ms]").fill("50")
    page.locator("[name=fade_out_ms]").press("Enter")
    page.locator("[name=fade_out_ms]").blur()
    expect(lines.last).to_contain_text("fade out 50 ms")
    assert len(numbers) >= 2

    # A drum's notes go to the grid, and one key goes back.
    page.locator("select[data-goes]").select_option(label="Frame drum")
    page.wait_for_url("**/takes/cut/?track=*")
    told(page)
    page.get_by_role("button", name="Find notes").click()
    page.get_by_role("button", name="Tighten the track").click()
    expect(page.locator("#message")).to_contain_text("Y hears what was before", timeout=20_000)

    # What is in use is written, and is what was chosen.
    follow(page, "All takes")
    page.get_by_role("button", name="Write what is in use").click()
    expect(page.locator("#written")).to_contain_text("files in", timeout=60_000)
    folder = Path(page.locator("#written p").inner_text().split(" in ", 1)[1].partition(". ")[0])
    written = wavfile.inspect(next(f for f in folder.glob("*.wav") if "Dulcimer-left" in f.name))
    sound = wavfile.read(written)[0]
    begins = written.start
    page.goto(f"{studio.url}/s/1/takes/")
    newest = take_files(studio, "Dulcimer-left")[-3:]
    oldest, middle = (wavfile.inspect(path) for path in newest[:2])
    inside = slice(2_000, 20_000)
    at = oldest.start - begins
    assert np.array_equal(sound[at:][inside], wavfile.read(oldest)[0][inside]), "the first phrase is the oldest pass"
    late = slice(seam - oldest.start + 8_000, seam - oldest.start + 12_000)
    assert np.array_equal(sound[at:][late], wavfile.read(middle)[0][late]), "the second is the middle one"
    cough = slice(end - oldest.start - 19_000, end - oldest.start - 11_000)
    assert not sound[at:][cough].any(), "the cough is silence"
    faded = sound[at:][: end - oldest.start][-4:]
    assert np.abs(faded).max() < np.abs(wavfile.read(middle)[0]).max() / 100

    # The same is heard through the main mix, as this browser decodes it.
    studio.post("/s/1/players", mode="rest")
    studio.post("/s/1/listen/alone", end="track:1")
    studio.post("/s/1/locate", position=str(oldest.start))
    follow(page, "Capture")
    page.keyboard.press("Space")
    state_is(page, "rolling")
    heard = decoded(page, studio, "1", 12_000, 36_000)
    page.keyboard.press("Space")
    whole = sound[at:][: end - oldest.start].astype(np.float64)
    size = 1 << (len(whole) + len(heard)).bit_length()
    alike = np.fft.irfft(np.fft.rfft(whole, size) * np.conj(np.fft.rfft(heard, size)))
    lag = int(np.abs(alike[: len(whole)]).argmax())
    there = whole[lag : lag + len(heard)]
    gain = there @ heard[: len(there)] / (there @ there)
    rest = heard[: len(there)] - gain * there
    assert len(there) > 12_000
    assert np.sqrt(np.mean(rest**2)) < 0.01 * np.sqrt(np.mean(heard**2)), "nothing but what was chosen"


def track_of(page: Page) -> str:
    return page.locator("#cut").get_attribute("data-track") or ""


def take_files(studio: Studio, name: str) -> list[Path]:
    """The oldest first."""
    found = [p for p in studio.home.rglob("*.wav") if name in p.name and p.parent.name.startswith("run-")]
    return sorted(found, key=lambda p: p.parent.name)
