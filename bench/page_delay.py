"""How old meters are when a page draws them, and how far behind *Listen here* plays: of studios that run already, turn by turn.

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


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("urls", nargs="+")
    parser.add_argument("--turns", type=int, default=3)
    parser.add_argument("--seconds", type=float, default=10)
    wanted = parser.parse_args()
    ages: dict[str, list[float]] = {url: [] for url in wanted.urls}
    behind: dict[str, list[float]] = {url: [] for url in wanted.urls}
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        for _ in range(wanted.turns):
            for url in wanted.urls:
                look(browser, url, wanted.seconds, ages[url], behind[url])
    tell(**{
        url: {"meter_age_ms": spread(ages[url]), "listen_behind_ms": round(median(behind[url]), 1)} for url in wanted.urls
    })


if __name__ == "__main__":
    main()
