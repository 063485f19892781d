"""Two pages of one session, pressed, typed into and keyed at random and quickly: neither may meet an error of the server or
of its own scripts, and in the end both must show the same.

usage: python bench/two_pages.py [TURNS [SEED [VIEW …]]]     (views such as takes/sheet/ and capture)
"""

import random
import sys
from collections import Counter
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

from common import tell
from playwright.sync_api import BrowserContext, Error, Locator, Page, sync_playwright
from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM, Studio, captured, post, told

VIEWS = ("capture", "imports/", "takes/sheet/", "takes/cut/", "timing/tempo", "listen/ears", "patch/tracks", "levels/rows")
KEYS = ["v", "l", "e", "+", "-", "/", "y", "s", "o", "x", "m", "[", "]", ",", ".", "Enter", "Space", "Escape", "Delete", "Tab", "Shift+Tab", "Home", "ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Control+z", "Control+Shift+z"]
TYPED = ("1", "2", "2.2", "0:03", "x", "", "-1", "99", "Name", "0.5", "−6")
PRESSED = ", ".join(f"{where} {what}:visible" for where in ("#rows", "aside") for what in (
    "button", "select", "input[type=checkbox]", ".sheet-cell", ".piece-line",
))
FIELDS = ", ".join(f"{where} input:visible:not([type=checkbox], [type=radio], [type=range])" for where in ("#rows", "aside"))
SOON_MS = 700


class Hands:
    """Two pages, and what went wrong on them."""

    def __init__(self, context: BrowserContext, drawn: random.Random) -> None:
        self.drawn, self.faults, self.refused = drawn, list[str](), Counter[int]()
        self.pages = [context.new_page(), context.new_page()]
        for page in self.pages:
            page.on("pageerror", lambda error: self.faults.append(str(error)))
            page.on("response", lambda answer: self.answered(answer.status, f"{answer.request.method} {answer.url}"))

    def answered(self, status: int, what: str) -> None:
        if status == 404 or status >= 500:
            self.faults.append(f"{status} {what}")
        elif status >= 400:
            self.refused[status] += 1

    def turn(self) -> None:
        page, kind = self.drawn.choice(self.pages), self.drawn.random()
        try:
            if kind < 0.3:
                page.keyboard.press(self.drawn.choice(KEYS))
            elif kind < 0.75:
                self.press(page)
            else:
                self.one(page.locator(FIELDS)).fill(self.drawn.choice(TYPED), timeout=SOON_MS)
                page.keyboard.press(self.drawn.choice(("Enter", "Tab", "Escape")))
            if page.locator("dialog[open]").count():
                self.one(page.locator("dialog[open] button:visible")).click(timeout=SOON_MS)
        except Error:
            return  # what was to be pressed is gone, or something lies over it
        if self.drawn.random() < 0.3:
            page.wait_for_timeout(self.drawn.randrange(300))

    def press(self, page: Page) -> None:
        control = self.one(page.locator(PRESSED))
        if control.evaluate("e => e.matches('select')", timeout=SOON_MS):
            options = control.locator("option").count()
            control.select_option(index=self.drawn.randrange(options), timeout=SOON_MS)
        else:
            control.click(timeout=SOON_MS)

    def one(self, found: Locator) -> Locator:
        return found.nth(self.drawn.randrange(max(1, found.count())))

    def judge(self, address: str) -> None:
        """Both come back to the view where a press led elsewhere; once they are left alone they show the same."""
        for page in self.pages:
            page.keyboard.press("Escape")
            if not page.url.startswith(address):
                page.goto(address)
            page.evaluate("document.activeElement?.blur()")
        self.pages[0].wait_for_timeout(6000)
        one, other = (page.locator("#rows").inner_text().splitlines() for page in self.pages)
        if self.pages[0].url == self.pages[1].url and one != other:
            self.faults.append(f"{address}: {[pair for pair in zip(one, other, strict=False) if pair[0] != pair[1]][:3]}")


def try_view(context: BrowserContext, studio: Studio, view: str, drawn: random.Random, turns: int) -> Hands:
    address, hands = f"{studio.url}/s/1/{view}", Hands(context, drawn)
    context.request.post(f"{studio.url}/s/1/enter")
    for page in hands.pages:
        page.goto(address)
        told(page)
    for _ in range(turns):
        hands.turn()
    context.request.post(f"{studio.url}/api/1/stop")
    hands.judge(address)
    for page in hands.pages:
        page.close()
    return hands


def main() -> None:
    turns, seed = (int(a) for a in (*sys.argv[1:3], "150", "1")[:2])
    drawn, faults, refused = random.Random(seed), list[str](), Counter[int]()
    with running_studio() as studio, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=CHROMIUM)
        context = browser.new_context(viewport={"width": 1280, "height": 800}, bypass_csp=True, reduced_motion="reduce")
        page = context.new_page()
        page.goto(f"{studio.url}/s/1/capture")
        told(page)
        for _ in range(3):
            for row in (0, 5):
                page.locator(".arm").nth(row).check()
            captured(page, 6)
        post(page, "/s/1/takes/sheet/phrases", way="bars", bars=1)
        page.close()
        for view in sys.argv[3:] or VIEWS:
            hands = try_view(context, studio, view, drawn, turns)
            faults += [f"{view}: {fault}" for fault in hands.faults]
            refused += hands.refused
            print(f"{view}: {len(hands.faults)} faults", file=sys.stderr, flush=True)
        browser.close()
    tell(turns=turns, seed=seed, refused=dict(refused), faults=faults)


if __name__ == "__main__":
    main()
