"""How long ``./cattailer test`` takes on this machine, once it is set up, and how many lines the tests have for the code's."""

import resource
import statistics
import subprocess
import threading
import time
from pathlib import Path

from common import tell

ROOT = Path(__file__).parents[1]


def lines(folder: str, *kinds: str) -> int:
    files = (path for kind in kinds for path in (ROOT / folder).rglob(f"*.{kind}"))
    return sum(len(path.read_text().splitlines()) for path in files)


def speeds(until: threading.Event, found_ms: list[float]) -> None:
    """Milliseconds of processor time that the machine's fixed piece of Python takes, again and again: 10 at full speed."""
    while not until.wait(10):
        began, total = time.thread_time(), 0
        for n in range(200_000):
            total += n & 7
        found_ms.append(1000 * (time.thread_time() - began))


def main() -> None:
    began, ended = time.monotonic(), threading.Event()
    during_ms: list[float] = []
    threading.Thread(target=speeds, args=(ended, during_ms), daemon=True).start()
    status = subprocess.run([str(ROOT / "cattailer"), "test"], check=False).returncode
    ended.set()
    minutes, used = (time.monotonic() - began) / 60, resource.getrusage(resource.RUSAGE_CHILDREN)
    tests, code = lines("tests", "py"), lines("src", "py", "html", "js", "css")
    tell(
        passed=status == 0, minutes=round(minutes, 2), processor_seconds=round(used.ru_utime + used.ru_stime),
        machine_ms_during=round(statistics.median(during_ms), 1),
        test_lines=tests, code_lines=code, share_percent=round(100 * tests / code, 1),
    )


if __name__ == "__main__":
    main()
