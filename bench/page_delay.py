"""How old meters are when a page draws them, how far behind *Listen here* plays, and how long what is pressed takes until it
is shown: of studios that run already, turn by turn.

    python bench/page_delay.py URL [URL …] [--turns 3] [--seconds 10]
"""

import argparse
import sys
from pathlib import Path
from statistics import median

sys.path.insert(0, str(Path(__file__).parents[1]))  # for the tests' helpers

from common import spread, tell
from playwright.sync_api import Browser, sync_playwright
from tests.helpers.studio import CHROMIUM


def look(browser: Browser, url: str, seconds: float, ages_ms: list[float], behind_ms: list[float]) -> None:
    page = browser.new_page(bypass_csp=True)  # what it waits for is evaluated in the page
    page.request.post(f"{url}/s/1/enter", headers={"Origin": url})
    page.goto(f"{url}/s/1/capture")
    page.wait_for_function("cattailerStats.frames > 30")
    page.evaluate("cattailerStats.ages.length = 0")
    page.wait_for_timeout(1000 * seconds)
    ages_ms += page.evaluate("cattailerStats.ages")
    page.get_by_role("button", name="Listen here").click()
    page.wait_for_function("cattailerListen.heard > 48000", timeout=60_000)
    for _ in range(round(seconds)):
        page.wait_for_timeout(1000)
        behind_ms.append(page.evaluate("cattailerListen.buffered"))
    page.close()


SHOWN_MS = """([press, shown]) => new Promise((done, fail) => {
    setTimeout(() => fail(`${press} does not lead to ${shown}`), 15000);
    const began = performance.now(), look = () => {
        if (new Function(`return ${shown}`)()) return requestAnimationFrame(() => done(performance.now() - began));
        requestAnimationFrame(look);
    };
    new Function(press)();
    look();
})"""
BOX = "document.querySelector('.arm')"
WORDS = "document.getElementById('capture-words').textContent.trim()"
ROW = "document.querySelector('.row[data-track]').matches('[data-armed]')"
NAME = "document.getElementById('name-1').value"
STATE = "document.body.dataset.state"
PRESS = "document.querySelector('[data-press={}]').click()"
UNDO = "document.body.dispatchEvent(new KeyboardEvent('keydown', {key: 'z', ctrlKey: true, bubbles: true}))"


def press(browser: Browser, url: str, found_ms: dict[str, list[float]]) -> None:
    """What is pressed on the Capture sheet, until it is painted; each is taken back."""
    page = browser.new_context(bypass_csp=True, viewport={"width": 1280, "height": 800}).new_page()
    page.request.post(f"{url}/s/1/enter", headers={"Origin": url})

    def timed(name: str, pressed: str, shown: str) -> None:
        page.wait_for_timeout(600)
        found_ms.setdefault(name, []).append(page.evaluate(SHOWN_MS, [pressed, shown]))

    page.request.post(f"{url}/s/1/tracks/arm", headers={"Origin": url}, form={"armed": "false"})
    page.goto(f"{url}/s/1/capture")
    page.wait_for_function("cattailerStats.frames > 30")
    for _ in range(3):
        timed("arm_row", f"{BOX}.click()", ROW)
        timed("disarm_deck", f"{BOX}.click()", f"{WORDS} === 'Capture'")
        timed("arm_deck", f"{BOX}.click()", f"{WORDS} === 'Capture 1 track'")
        timed("disarm_row", f"{BOX}.click()", f"!{ROW}")
        page.wait_for_timeout(600)  # the row shows it before it is done; what is undone comes after it
        page.request.post(f"{url}/s/1/tracks/1/name", headers={"Origin": url}, form={"name": "Undone soon"})
        page.wait_for_function(f"{NAME} === 'Undone soon'")
        timed("undo", UNDO, f"{NAME} !== 'Undone soon'")
        timed("roll", PRESS.format("roll"), f"{STATE} === 'rolling'")
        timed("stop", PRESS.format("stop"), f"{STATE} === 'stopped'")
    for stage in ("Takes", "Patch", "Levels", "Timing", "Listen", "Capture"):
        page.wait_for_timeout(1500)
        page.get_by_role("navigation", name="Stages").get_by_role("link", name=stage).click()
        page.wait_for_function("performance.getEntriesByName('first-contentful-paint').length > 0")
        found_ms.setdefault("stage_link", []).append(page.evaluate("performance.getEntriesByName('first-contentful-paint')[0].startTime"))
        page.wait_for_function("cattailerStats.frames > 10")
    page.context.close()


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("urls", nargs="+")
    parser.add_argument("--turns", type=int, default=3)
    parser.add_argument("--seconds", type=float, default=10)
    wanted = parser.parse_args()
    ages: dict[str, list[float]] = {url: [] for url in wanted.urls}
    behind: dict[str, list[float]] = {url: [] for url in wanted.urls}
    pressed: dict[str, dict[str, list[float]]] = {url: {} for url in wanted.urls}
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        for _ in range(wanted.turns):
            for url in wanted.urls:
                look(browser, url, wanted.seconds, ages[url], behind[url])
                press(browser, url, pressed[url])
    tell(**{
        url: {"meter_age_ms": spread(ages[url]), "listen_behind_ms": round(median(behind[url]), 1),
              "until_shown_ms": {name: spread(found) for name, found in pressed[url].items()}} for url in wanted.urls
    })


if __name__ == "__main__":
    main()
