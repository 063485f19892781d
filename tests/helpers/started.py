"""A whole Cattailer, started as ``./cattailer demo`` starts it, and ended as Ctrl+C ends it."""

import shutil
import signal
import subprocess
import sys
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager

from cattailer.processes.network import outward_address
from tests.helpers.studio import Studio, environment, free_port, home_of_its_own
from tests.helpers.waiting import wait_for


@contextmanager
def running_studio(end: int = signal.SIGINT) -> Iterator[Studio]:
    """In a home of its own, which is removed. Fails when something that was started still runs afterwards, even if its
    supervisor is killed to ``end`` it."""
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
            with urllib.request.urlopen(f"{url}/alive", timeout=1) as answer:
                return bool(answer.status == 200)
        except OSError:
            return False

    try:
        wait_for(alive, 120)
        made = Studio(url, home, process, f"http://{outward_address()}:{port}", f"https://{outward_address()}:{secure_port}")
        made.post("/s/1/timing/buffer", use="tracking", period="1024")  # leaves more of the processor to the tests
        yield made
    finally:
        process.send_signal(end)
        ended = process.wait(30)
        looking = ["pgrep", "-f", str(home)]
        wait_for(lambda: subprocess.run(looking, stdout=subprocess.DEVNULL).returncode, 20 if end == signal.SIGKILL else 1)
        shutil.rmtree(home, ignore_errors=True)
    assert ended == (0 if end == signal.SIGINT else -end)
