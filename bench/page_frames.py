"""Meter frames in a real page: how many a second, and how old they are when they arrive.

usage: python bench/page_frames.py URL [SECONDS]     (a running ./cattailer demo)
"""

import sys
import time

from common import spread, tell
from playwright.sync_api import sync_playwright

CHROMIUM = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync", "--autoplay-policy=no-user-gesture-required"]


def main() -> None:
    url = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8080"
    seconds = float(sys.argv[2]) if len(sys.argv) > 2 else 20.0
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{url}/s/1/")
        page.wait_for_function("cattailerStats.frames > 30")
        page.keyboard.press("Shift+X")
        time.sleep(1)
        page.keyboard.press("Shift+Space")
        time.sleep(1)
        before = page.evaluate("[cattailerStats.frames, performance.now()]")
        page.evaluate("cattailerStats.ages.length = 0")
        time.sleep(seconds)
        after = page.evaluate("[cattailerStats.frames, performance.now()]")
        ages = page.evaluate("cattailerStats.ages")
        page.keyboard.press("Shift+Space")
        time.sleep(1)
        browser.close()
    tell(
        what="meter frames in the page while ten tracks are captured",
        frames_per_s=round(1000 * (after[0] - before[0]) / (after[1] - before[1]), 2), age_ms=spread(ages),
    )


if __name__ == "__main__":
    main()
