"""What the Capture page holds while all tracks are captured: the script's heap once a minute, after its garbage was collected.

usage: python bench/page_heap.py [MINUTES]
"""

import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np
from common import tell
from playwright.sync_api import sync_playwright
from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM, open_demo, state_is

SETTLED = 2
"""Minutes until the page of lanes is full for the first time."""


def main() -> None:
    minutes = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    with running_studio() as studio, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
        page = browser.new_context(bypass_csp=True, viewport={"width": 1280, "height": 800}).new_page()
        open_demo(page, studio)
        studio.post("/s/1/tracks/arm", armed="true")
        page.keyboard.press("Shift+Space")
        state_is(page, "capturing")
        inside, held_mb = page.context.new_cdp_session(page), []
        for _ in range(minutes + 1):
            inside.send("HeapProfiler.collectGarbage")
            held_mb.append(round(inside.send("Runtime.getHeapUsage")["usedSize"] / 1e6, 2))
            page.wait_for_timeout(60_000)
        page.keyboard.press("Shift+Space")
        state_is(page, "stopped")
        browser.close()
    late = held_mb[SETTLED:]
    slope = float(np.polyfit(range(len(late)), late, 1)[0]) if len(late) > 1 else 0.0
    tell(minutes=minutes, held_mb=held_mb, mb_a_minute=round(slope, 3))


if __name__ == "__main__":
    main()
