"""The Levels page with 64 rows: frames that arrive and are drawn a second, and their age.

usage: python bench/levels_page.py URL [SECONDS]     (a running ./cattailer demo; makes a session called Bench 64)
"""

import sys
import urllib.parse
import urllib.request

from common import spread, tell
from patch_pages import CHROMIUM, large_profile, post, upload
from playwright.sync_api import sync_playwright

COUNT_DRAWN = """() => {
  window.drawn = 0;
  const canvas = document.querySelector('#rows canvas[data-meter]').getContext('2d');
  const clear = canvas.clearRect.bind(canvas);
  canvas.clearRect = (...area) => { window.drawn += 1; clear(...area); };
}"""


def main() -> None:
    url = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8080"
    seconds = float(sys.argv[2]) if len(sys.argv) > 2 else 15.0
    upload(f"{url}/s/1/patch/profile", "bench-64.toml", large_profile())
    made = urllib.request.urlopen(urllib.request.Request(
        f"{url}/sessions", urllib.parse.urlencode({"title": "Bench 64", "interface": "bench-64"}).encode()))
    session = url + made.headers["HX-Redirect"].rstrip("/")
    urllib.request.urlopen(f"{session}/")
    rows = "\n".join(f"{n},Row {n},source {n},condenser,yes" for n in range(1, 65))
    post(f"{session}/patch/list", text=f"socket,name,source,pick-up,48 V\n{rows}")
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{session}/levels/")
        page.wait_for_function("cattailerStats.frames > 60")
        page.evaluate(COUNT_DRAWN)
        before = page.evaluate("[cattailerStats.frames, window.drawn, performance.now()]")
        page.evaluate("cattailerStats.ages.length = 0")
        page.wait_for_timeout(1000 * seconds)
        after = page.evaluate("[cattailerStats.frames, window.drawn, performance.now()]")
        ages = page.evaluate("cattailerStats.ages")
        shown = page.locator("#rows canvas[data-meter]").count()
        browser.close()
    took = (after[2] - before[2]) / 1000
    tell(what="the Levels page with 64 rows", rows=shown, frames_per_s=round((after[0] - before[0]) / took, 2),
         drawn_per_s=round((after[1] - before[1]) / took, 2), age_ms=spread(ages))


if __name__ == "__main__":
    main()
