"""What the crawler goes to: the demo with takes and a comp, and an empty session."""

from playwright.sync_api import Page

from tests.helpers.studio import Studio, moved_on, new_session, open_demo, post, state_is

VIEWS = (
    "capture", "imports/", "capture/remote", "takes/", "takes/sheet/", "takes/cut/", "takes/compared/", "takes/bin/",
    *(f"patch/{v}" for v in ("sockets", "list", "tracks", "routes", "routes?grid=true", "check", "interface")),
    *(f"levels/{v}" for v in ("rows", "wide", "noise", "pairs", "room")),
    *(f"listen/{v}" for v in ("ears", "tracks", "effects", "guide")),
    *(f"timing/{v}" for v in ("buffer", "trip", "rate", "tempo", "click")),
)
DEMO, EMPTY = "1", "2"
PAGES = [("/", ""), ("/devices", ""), *((f"/s/{s}/{view}", s) for s in (DEMO, EMPTY) for view in VIEWS)]


def set_up(page: Page, studio: Studio) -> None:
    """Two takes on two tracks, phrases and a choice among them; and an empty session."""
    open_demo(page, studio)
    for _ in range(2):
        page.locator(".arm").nth(0).check()
        page.locator(".arm").nth(5).check()
        page.keyboard.press("Shift+Space")
        state_is(page, "capturing")
        moved_on(page, 4)
        page.keyboard.press("Shift+Space")
        state_is(page, "stopped")
    post(page, f"/s/{DEMO}/tracks/arm", armed="false")
    page.wait_for_timeout(1500)
    post(page, f"/s/{DEMO}/takes/sheet/phrases", way="bars", bars=1)
    page.wait_for_timeout(500)
    new_session(page, studio, "Empty")
    page.goto(studio.url)
