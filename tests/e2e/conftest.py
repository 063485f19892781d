"""A whole Cattailer as ``./cattailer demo`` starts it, and a browser."""

import shutil
import signal
import subprocess
import sys
import urllib.request
from collections.abc import Iterator

import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright

from cattailer.processes.network import outward_address
from tests.helpers.studio import CHROMIUM, Studio, environment, free_port, home_of_its_own
from tests.helpers.waiting import wait_for

expect.set_options(timeout=20_000)


@pytest.fixture(scope="session")
def studio() -> Iterator[Studio]:
    home, port, secure_port = home_of_its_own(), free_port(), free_port()
    process = subprocess.Popen(
        [sys.executable, "-m", "cattailer", "demo", "--host", "0.0.0.0", "--port", str(port), "--https-port", str(secure_port),
         "--fast-database"],
        env=environment(home), stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True,
    )
    url = f"http://127.0.0.1:{port}"

    def alive() -> bool:
        assert process.poll() is None, process.stdout.read() if process.stdout else ""
        try:
            return urllib.request.urlopen(f"{url}/alive", timeout=1).status == 200
        except OSError:
            return False

    wait_for(alive)
    yield Studio(url, home, process, f"http://{outward_address()}:{port}", f"https://{outward_address()}:{secure_port}")
    process.send_signal(signal.SIGINT)
    assert process.wait(30) == 0
    leftovers = subprocess.run(["pgrep", "-f", str(home)], capture_output=True, text=True, check=False).stdout.split()
    assert not leftovers, "something that was started still runs"
    shutil.rmtree(home)


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
