"""A whole Cattailer as ``./cattailer demo`` starts it, and a browser."""

import os
import signal
import subprocess
import sys
import urllib.request
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from tests.helpers.studio import CHROMIUM, ROOT, Studio, free_port
from tests.helpers.waiting import wait_for

expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def studio(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Studio]:
    home = tmp_path_factory.mktemp("home")
    port = free_port()
    environment = {**os.environ, "CATTAILER_HOME": str(home), "PYTHONPATH": str(ROOT / "src"), "CATTAILER_QUEUE_MS": "inf"}
    process = subprocess.Popen(
        [sys.executable, "-m", "cattailer", "demo", "--port", str(port), "--fast-database"],
        env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )
    url = f"http://127.0.0.1:{port}"

    def alive() -> bool:
        assert process.poll() is None, process.stdout.read() if process.stdout else ""
        try:
            return urllib.request.urlopen(f"{url}/alive", timeout=1).status == 200
        except OSError:
            return False

    wait_for(alive)
    yield Studio(url, home, process)
    process.send_signal(signal.SIGINT)
    assert process.wait(30) == 0
    leftovers = subprocess.run(["pgrep", "-f", str(home)], capture_output=True, text=True, check=False).stdout.split()
    assert not leftovers, "something that was started still runs"


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
