"""A whole Cattailer as ``./cattailer demo`` starts it, and a browser."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, BrowserContext, Page, Playwright, expect, sync_playwright

from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM, Studio

SHELL = "/usr/bin/chromium-headless-shell"  # Chromium without windows: it opens a page for a quarter of the work
expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def studio() -> Iterator[Studio]:
    with running_studio() as made:
        yield made


@pytest.fixture(scope="session")
def playwright() -> Iterator[Playwright]:
    with sync_playwright() as made:
        yield made


@pytest.fixture(scope="session")
def browser(playwright: Playwright) -> Browser:
    return playwright.chromium.launch(executable_path=SHELL, args=CHROMIUM)


@pytest.fixture(scope="session")
def profile(browser: Browser) -> BrowserContext:
    """One for all tests, so that it has fonts and scripts already, as that of whoever works here has."""
    return browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True,
        reduced_motion="reduce",  # fewer frames leave more of the processor to the tests
        bypass_csp=True,  # what these tests wait for is evaluated in the page; test_access looks at the policy itself
    )


@pytest.fixture
def page(profile: BrowserContext) -> Iterator[Page]:
    """A page that remembers nothing of those before; nothing may go wrong in it without being caught."""
    made = profile.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda error: errors.append(str(error)))
    yield made
    if made.url.startswith("http"):
        made.evaluate("localStorage.clear()")
    for each in profile.pages:
        each.close()
    assert errors == []


@pytest.fixture
def other(page: Page) -> Page:
    """A second page, of somebody who works at the same time."""
    return page.context.new_page()
