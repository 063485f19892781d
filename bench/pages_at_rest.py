"""What an open page costs while nobody touches it: shares of a core of the browser, the studio's pages and its engine.

usage: python bench/pages_at_rest.py [SECONDS [BROWSER]]     (BROWSER: a program; Debian's Chromium by itself)
"""

import os
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from common import tell
from playwright.sync_api import Browser, sync_playwright
from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM, Studio, told

TICKS = os.sysconf("SC_CLK_TCK")


def used_s(pids: list[int]) -> float:
    """Processor seconds until now."""
    fields = [Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split() for pid in pids]
    return sum(int(f[11]) + int(f[12]) for f in fields) / TICKS


def family(name: str) -> list[int]:
    """Processes by what their command line says."""
    found = []
    for entry in Path("/proc").glob("[0-9]*/cmdline"):
        try:
            if name in entry.read_bytes().decode(errors="replace"):
                found.append(int(entry.parent.name))
        except OSError:  # it ended
            continue
    return found


def rest(browser: Browser, program: str, studio: Studio, stage: str, motion: str, seconds: float) -> dict[str, float]:
    context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True)
    page = context.new_page()
    page.emulate_media(reduced_motion="reduce" if motion == "reduce" else "no-preference")
    page.goto(f"{studio.url}/s/1/{stage}")
    told(page)
    time.sleep(3)
    of = {"browser": family(program), "pages": studio.processes("web"), "engine": studio.processes("engine")}
    before, began = {name: used_s(pids) for name, pids in of.items()}, time.monotonic()
    time.sleep(seconds)
    took = time.monotonic() - began
    shares = {name: round((used_s(pids) - before[name]) / took, 3) for name, pids in of.items()}
    context.close()
    return shares


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 20.0
    program = sys.argv[2] if len(sys.argv) > 2 else "/usr/bin/chromium"
    found = {}
    with running_studio() as studio, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=program, args=CHROMIUM)
        for stage in ("levels/", "capture", "takes/"):
            for motion in ("no-preference", "reduce"):
                found[f"{stage.rstrip('/')}, motion {motion}"] = rest(browser, Path(program).name, studio, stage, motion, seconds)
        browser.close()
    tell(what="shares of a core, one page open at rest", **found)


if __name__ == "__main__":
    main()
