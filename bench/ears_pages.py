"""The sheet of ears with 64 rows and 12 mixes, every row in every mix: pages, edits, and what the browser needs to draw it.

usage: python bench/ears_pages.py URL [TIMES]     (a running ./cattailer demo; makes a session called Bench of ears)
"""

import sys
import time
import urllib.parse
import urllib.request

from common import spread, tell, timed
from patch_pages import CHROMIUM, large_profile, post, upload
from playwright.sync_api import sync_playwright

CUES = 11


def main() -> None:
    url = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8080"
    times = int(sys.argv[2]) if len(sys.argv) > 2 else 20
    upload(f"{url}/s/1/patch/profile", "bench-64.toml", large_profile())
    made = urllib.request.urlopen(urllib.request.Request(
        f"{url}/sessions", urllib.parse.urlencode({"title": "Bench of ears", "interface": "bench-64"}).encode()))
    session = url + made.headers["HX-Redirect"].rstrip("/")
    post(f"{session}/enter")
    post(f"{session}/patch/tracks", count=64, feed="in:1")
    for _ in range(CUES):
        post(f"{session}/patch/mix")

    def get(path: str) -> bytes:
        return bytes(urllib.request.urlopen(urllib.request.Request(path, headers={"HX-Request": "true"})).read())

    sheet = get(f"{session}/listen/").decode()
    mixes = [int(part.split('"')[0]) for part in sheet.split('class="ear" data-mix="')[1:]]
    rows = list(dict.fromkeys(part.split('"')[0] for part in sheet.split('data-end="')[1:]))
    tracks = [row for row in rows if row.startswith("track")]
    for mix in mixes[1:]:
        post(f"{session}/listen/ears/{mix}/copy", source=mixes[0])
    page = timed(times, lambda _: get(f"{session}/listen/"))
    fragment = timed(times, lambda _: get(f"{session}/listen/ears/rows"))
    edit = timed(times, lambda n: post(f"{session}/listen/set", end=tracks[n % 64], target=f"mix:{mixes[3]}", what="level_db", value=-n - 1))
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        shown = browser.new_page(viewport={"width": 1280, "height": 800})
        shown.goto(f"{session}/listen/")
        shown.wait_for_timeout(3000)
        nudges = []
        cell = shown.locator(f'.cell[data-mix="{mixes[3]}"]').nth(10)
        cell.focus()
        for n in range(times):
            before = cell.get_attribute("data-level")
            began = time.perf_counter()
            shown.keyboard.press("ArrowLeft" if n % 2 else "ArrowRight")
            shown.wait_for_function("([mix, before]) => document.querySelectorAll(`.cell[data-mix=\"${mix}\"]`)[10].dataset.level !== before",
                                    arg=[mixes[3], before], polling=5)
            nudges.append(1000 * (time.perf_counter() - began))
        rate = shown.evaluate("new Promise(done => { const at = cattailerStats.frames; setTimeout(() => done((cattailerStats.frames - at) / 4), 4000); })")
        browser.close()
    tell(what="sheet of ears, ms", rows=len(tracks), mixes=len(mixes), page=page, fragment=fragment, edit=edit,
         a_nudge_is_drawn=spread(nudges), frames_a_second=rate)


if __name__ == "__main__":
    main()
