"""What the crawler goes to, and as whom: the demo with takes and a comp, and an empty session."""

from collections.abc import Iterator
from dataclasses import dataclass

from playwright.sync_api import Browser, Page

from tests.helpers.crawler import Chosen, Crawler
from tests.helpers.letting_in import code_for, come_in
from tests.helpers.studio import Studio, captured, new_session, open_demo, post

VIEWS = (
    "capture", "imports/", "capture/remote", "takes/", "takes/sheet/", "takes/cut/", "takes/compared/", "takes/bin/",
    *(f"patch/{v}" for v in ("sockets", "list", "tracks", "routes", "routes?grid=true", "check", "interface")),
    *(f"levels/{v}" for v in ("rows", "wide", "noise", "pairs", "room")),
    *(f"listen/{v}" for v in ("ears", "tracks", "effects", "guide")),
    *(f"timing/{v}" for v in ("buffer", "trip", "rate", "tempo", "click")),
)
DEMO = "1"
WIDE, PHONE = {"width": 1280, "height": 800}, {"width": 390, "height": 844}


@dataclass(frozen=True)
class Place:
    """A page as somebody sees it; ``session`` is empty where it belongs to none."""

    who: str
    address: str
    session: str

    def __str__(self) -> str:
        return f"{self.who} {self.address}"


def places(empty: str) -> list[Place]:
    """Every page of the engineer, in the demo and in the empty session; and what the others see of the demo."""
    seen = [Place("engineer", "/", ""), Place("engineer", "/devices", "")]
    seen += [Place("engineer", f"/s/{s}/{view}", s) for s in (DEMO, empty) for view in VIEWS]
    seen += [Place("assistant", "/", ""), *(Place("assistant", f"/s/{DEMO}/{view}", DEMO) for view in VIEWS)]
    return [*seen, Place("player", "/player", DEMO)]


def set_up(page: Page, studio: Studio) -> str:
    """Two takes on two tracks, phrases and a choice among them; and an empty session, whose number is returned."""
    open_demo(page, studio)
    for _ in range(2):
        page.locator(".arm").nth(0).check()
        page.locator(".arm").nth(5).check()
        captured(page, 4)
    post(page, f"/s/{DEMO}/tracks/arm", armed="false")
    page.wait_for_timeout(1500)
    post(page, f"/s/{DEMO}/takes/sheet/phrases", way="bars", bars=1)
    page.wait_for_timeout(500)
    empty = new_session(page, studio, "Empty").rsplit("/", 1)[1]
    page.goto(studio.url)
    return empty


class Crowd:
    """A browser for each role, let in as its device is."""

    def __init__(self, browser: Browser, studio: Studio, engineer: Page) -> None:
        self._browser, self._studio, self._engineer = browser, studio, engineer
        self._pages: dict[str, Page] = {"engineer": engineer}

    def crawlers(self, seen: list[Place], chosen: Chosen = lambda *_: True) -> Iterator[tuple[Place, Crawler]]:
        """Crawls one place after the other; a crawler has a page of its own."""
        for place in seen:
            page = self._page(place.who).context.new_page()
            url = self._studio.secure if place.who == "assistant" else self._studio.outside if place.who == "player" else self._studio.url
            crawler = Crawler(page, url, self._engineer.request, self._studio.url, chosen, place.who == "assistant")
            crawler.crawl(place.address, place.session)
            page.close()
            yield place, crawler

    def _page(self, who: str) -> Page:
        if who not in self._pages:
            size = PHONE if who == "player" else WIDE
            context = self._browser.new_context(viewport=size, ignore_https_errors=True, bypass_csp=True)  # type: ignore[arg-type]
            page = self._pages[who] = context.new_page()
            code = code_for(self._engineer, self._studio, who, "Cue band" if who == "player" else "")
            page.goto(f"{self._studio.outside if who == 'player' else self._studio.secure}/door")
            come_in(page, code, f"the {who}’s")
            page.wait_for_url("**/player" if who == "player" else f"{self._studio.secure}/")
        return self._pages[who]
