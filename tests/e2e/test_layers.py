"""Two layers captured, split, tightened, undone to the first step, done again, written out and read back."""

import re
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Page, expect

from tests.helpers.studio import Studio, captured, new_session, post, told
from tests.helpers.waiting import wait_for


def written(page: Page, path: str, studio: Studio) -> np.ndarray:
    """What is in use, written out and read by another program."""
    page.goto(f"{studio.url}{path}/takes/")
    told(page)
    before = set((studio.home / "media").rglob("in-use-*"))
    page.get_by_role("button", name="Write what is in use").click()
    wait_for(lambda: set((studio.home / "media").rglob("in-use-*")) - before, 60)
    (folder,) = set((studio.home / "media").rglob("in-use-*")) - before
    expect(page.get_by_text(re.compile(rf"1 file in .*{folder.name}\. It begins at"))).to_be_visible(timeout=60_000)
    (file,) = Path(folder).glob("*.wav")
    sound, rate = soundfile.read(file)
    assert rate == 48_000
    return sound


def test_two_layers_are_cut_undone_done_again_and_written_out(page: Page, studio: Studio) -> None:
    session = new_session(page, studio, "Two layers")
    path = session.removeprefix(studio.url)
    post(page, f"{path}/patch/tracks", count=1, feed="in:6", name="Drum")
    post(page, f"{path}/inputs/6/gain", gain_db="32")
    post(page, f"{path}/capturing", name="over", value="layer")
    page.goto(f"{session}/capture")
    told(page)
    page.get_by_role("checkbox", name="Arm Drum").click()
    expect(page.locator("#capture-words")).to_have_text("Capture 1 track")
    for take in (1, 2):
        page.keyboard.press("Home")
        captured(page, 3)
        expect(page.locator("#deck-log")).to_contain_text(f"take {take}")
    page.goto(f"{session}/takes/cut/")
    told(page)
    expect(page.locator(".piece-line")).to_have_count(2)
    expect(page.locator("#pieces")).to_contain_text("layer 2")
    both = written(page, path, studio)
    page.goto(f"{session}/takes/cut/")
    told(page)
    track = page.locator("#cut").get_attribute("data-track")
    post(page, f"{path}/takes/cut/split", track=track, at=48_000)
    expect(page.locator(".piece-line")).to_have_count(4)
    assert np.array_equal(written(page, path, studio), both), "a split is not heard"
    page.goto(f"{session}/takes/cut/")
    told(page)
    page.get_by_role("button", name="Find notes").click()
    expect(page.get_by_role("button", name="Tighten the track")).to_be_visible(timeout=20_000)
    page.locator(".piece-line").nth(0).click()
    before = page.locator("#cut-pieces").get_attribute("data-revision") or ""
    page.get_by_role("button", name="Tighten this piece").click()
    expect(page.locator("#message")).to_contain_text("Y hears what was before")
    expect(page.locator("#cut-pieces")).not_to_have_attribute("data-revision", before)
    other = page.locator(".piece-line", has_text="layer 2")
    assert other.count() == 2, "only what is chosen is tightened"
    pieces = page.locator(".piece-line").count()
    tight = written(page, path, studio)
    page.goto(f"{session}/takes/cut/")
    told(page)
    undone = 0
    while "Take 1 captured" not in page.locator("#message").inner_text():
        with page.expect_response("**/undo"):
            page.keyboard.press("Control+z")
        page.wait_for_timeout(100)
        undone += 1
    expect(page.locator(".piece-line")).to_have_count(0)
    for _ in range(undone):
        with page.expect_response("**/redo"):
            page.keyboard.press("Control+Shift+z")
    expect(page.locator(".piece-line")).to_have_count(pieces)
    assert np.array_equal(written(page, path, studio), tight)
