"""Presses every control of every page by mouse and by keyboard, in Chromium, on the demo with takes and a comp and on an
empty session, as engineer, assistant and player. Prints what a person would complain of.

usage: python bench/press_everything.py [PATTERN] [SHARE OF]

PATTERN chooses pages by whose they are and by address, such as "assistant /s/1/takes"; 0 2 and 1 2 are the first and the
second half of them, for two at a time.
"""

import re
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from common import tell
from playwright.sync_api import sync_playwright
from tests.helpers.crawled import Crowd, places, set_up
from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM


def main() -> None:
    pattern = sys.argv[1] if len(sys.argv) > 1 else ""
    share, of = map(int, sys.argv[2:4]) if len(sys.argv) > 3 else (0, 1)
    began, complaints, pressed = time.monotonic(), [], 0
    with running_studio() as studio, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        page = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True).new_page()
        seen = [place for place in places(set_up(page, studio)) if re.search(pattern, str(place))][share::of]
        for place, crawler in Crowd(browser, studio, page).crawlers(seen):
            complaints += crawler.report.complaints
            pressed += crawler.report.pressed
            print(f"{place}: {crawler.report.pressed} pressed", *crawler.report.complaints, sep="\n  ", file=sys.stderr, flush=True)
        browser.close()
    tell(pages=len(seen), pressed=pressed, seconds=round(time.monotonic() - began), complaints=complaints)


if __name__ == "__main__":
    main()
