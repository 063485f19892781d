"""Presses every control of every page by mouse and by keyboard, in Chromium, on the demo with takes and a comp and on an
empty session, as engineer, assistant and player. Prints what a person would complain of.

usage: python bench/press_everything.py [ADDRESS-PATTERN]
"""

import re
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from common import tell
from playwright.sync_api import sync_playwright
from tests.helpers.crawled import PAGES, set_up
from tests.helpers.crawler import Crawler
from tests.helpers.studio import CHROMIUM, Studio, environment, free_port, home_of_its_own


def main() -> None:
    pattern = sys.argv[1] if len(sys.argv) > 1 else ""
    home, port = home_of_its_own(), free_port()
    command = [sys.executable, "-m", "cattailer", "demo", "--port", str(port), "--fast-database"]
    process = subprocess.Popen(command, env=environment(home), stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    while "ready at" not in process.stdout.readline():
        pass
    studio = Studio(f"http://127.0.0.1:{port}", home, process, "", "")
    began, complaints, pressed = time.monotonic(), [], 0
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)
            page = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True).new_page()
            set_up(page, studio)
            for address, session in PAGES:
                if re.search(pattern, address):
                    crawler = Crawler(page.context.new_page(), studio.url)
                    crawler.crawl(address, session)
                    crawler.page.close()
                    complaints += crawler.report.complaints
                    pressed += crawler.report.pressed
                    print(f"{address}: {crawler.report.pressed} pressed", *crawler.report.complaints, sep="\n  ", file=sys.stderr, flush=True)
            browser.close()
    finally:
        process.send_signal(signal.SIGINT)
        process.wait(30)
        shutil.rmtree(home, ignore_errors=True)
    tell(pressed=pressed, seconds=round(time.monotonic() - began), complaints=complaints)


if __name__ == "__main__":
    main()
