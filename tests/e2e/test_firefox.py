"""The main journey in Debian's Firefox, with the keyboard alone: armed, captured, chosen, undone, and heard."""

import os
import re
import subprocess
from collections.abc import Iterator
from pathlib import Path
from threading import Timer

import pytest
from playwright.sync_api import Page, Playwright, expect

from tests.helpers.studio import Studio, captured, hears, new_session, state_is, told
from tests.helpers.waiting import wait_for

FIREFOX, MOST_S = "/usr/bin/firefox-esr", 300


@pytest.fixture
def output(tmp_path: Path) -> Iterator[str]:
    """The address of a sound output that nobody hears: without one, Firefox plays nothing."""
    address = f"unix:{tmp_path}/output"
    server = subprocess.Popen(
        ["pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no", "-L", "module-null-sink",
         "-L", f"module-native-protocol-unix socket={tmp_path}/output auth-anonymous=1"],
        env={**os.environ, "HOME": str(tmp_path), "XDG_RUNTIME_DIR": str(tmp_path)}, stderr=subprocess.DEVNULL,
    )
    wait_for(lambda: (tmp_path / "output").exists())
    yield address
    server.terminate()
    server.wait(10)


@pytest.fixture
def firefox(playwright: Playwright, output: str) -> Iterator[Page]:
    browser = playwright.firefox.launch(
        channel="moz-firefox", executable_path=FIREFOX, env={**os.environ, "PULSE_SERVER": output},
        firefox_user_prefs={"media.autoplay.default": 0},
    )
    page, errors = browser.new_page(viewport={"width": 1280, "height": 800}), []
    page.on("pageerror", lambda error: errors.append(str(error)))
    # Keys and what is evaluated have no time limit of their own: whoever hangs loses the browser, and fails.
    late = Timer(MOST_S, lambda: subprocess.run(["pkill", "-9", "-f", f"{FIREFOX} --remote-debugging-port"], check=False))
    late.start()
    yield page
    late.cancel()
    browser.close()
    assert errors == []


def test_a_session_is_captured_chosen_undone_and_heard_in_firefox(firefox: Page, studio: Studio) -> None:
    page = firefox
    session = new_session(page, studio, "Another browser")
    path = session.removeprefix(studio.url)
    studio.post(f"{path}/patch/tracks", count="1", feed="in:6", name="Drum")
    studio.post(f"{path}/inputs/6/gain", gain_db="32")
    page.goto(f"{session}/capture")
    told(page)
    page.keyboard.press("j")
    page.keyboard.press("x")
    expect(page.get_by_role("checkbox", name="Arm Drum", exact=True)).to_be_checked()
    expect(page.locator("#capture-words")).to_have_text("Capture 1 track")
    for take, seconds in ((1, 2.5), (2, 1)):
        captured(page, seconds)
        expect(page.locator("#deck-log")).to_contain_text(f"take {take}")

    studio.post(f"{path}/takes/sheet/phrases", way="bars", bars="1")
    page.goto(f"{session}/takes/sheet/")
    told(page)
    newest, older = (page.locator("[data-row]").nth(n).locator(".sheet-cell").first for n in (0, 1))
    newest.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("v")
    expect(older).to_have_accessible_name(re.compile("in use"))
    expect(newest).not_to_have_accessible_name(re.compile("in use"))
    page.keyboard.press("Control+z")
    expect(newest).to_have_accessible_name(re.compile("in use"))

    page.goto(f"{session}/capture")  # a key that leaves the page may never be answered here
    told(page)
    page.keyboard.press("h")
    page.keyboard.press("Space")
    state_is(page, "rolling")
    hears(page)
    page.keyboard.press("Space")
    state_is(page, "stopped")
