"""A part of what ``bench/press_everything.py`` presses, chosen by a seed: CATTAILER_SEED presses another part."""

import os
import random
import signal

from playwright.sync_api import Browser, Page

from tests.helpers.crawled import Crowd, places, set_up
from tests.helpers.crawler import Control
from tests.helpers.started import running_studio

PLACES, PRESSES = 6, 3
"""So many pages, and so many presses in each of them."""


def test_a_part_of_all_controls_does_what_it_says(browser: Browser, page: Page) -> None:
    """In a studio of its own: what is pressed is meant, and other tests would find it changed."""
    drawn = random.Random(int(os.environ.get("CATTAILER_SEED", "1")))
    left: dict[str, int] = {}

    def chosen(address: str, _: Control, way: str) -> bool:
        if left.get(address) == 0 or drawn.random() > 0.1:
            return False
        left[address] = left.get(address, PRESSES) - 1
        return True

    with running_studio(signal.SIGKILL) as studio:
        seen = drawn.sample(places(set_up(page, studio)), PLACES)
        reports = {str(place): crawler.report for place, crawler in Crowd(browser, studio, page).crawlers(seen, chosen)}
    assert [said for report in reports.values() for said in report.complaints] == [], reports
    assert sum(report.pressed for report in reports.values()) >= PLACES
