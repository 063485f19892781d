"""A whole Cattailer as ``./cattailer demo`` starts it, and a browser."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.helpers.started import running_studio
from tests.helpers.studio import CHROMIUM, Studio

expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def studio() -> Iterator[Studio]:
    with running_studio() as made:
        yield made


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        yield playwright.chromium.launch(executable_path="/usr/bin/chromium", args=CHROMIUM)


@pytest.fixture
def page(browser: Browser) -> Iterator[Page]:
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, accept_downloads=True,
        bypass_csp=True,  # what these tests wait for is evaluated in the page; test_access looks at the policy itself
    )
    made = context.new_page()
    errors: list[str] = []
    made.on("pageerror", lambda error: errors.append(str(error)))
    yield made
    context.close()
    assert errors == []
