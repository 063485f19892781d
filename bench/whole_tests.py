"""How long ``./cattailer test`` takes on this machine, once it is set up, and how many lines the tests have for the code's."""

import resource
import subprocess
import time
from pathlib import Path

from common import tell

ROOT = Path(__file__).parents[1]


def lines(folder: str, *kinds: str) -> int:
    files = (path for kind in kinds for path in (ROOT / folder).rglob(f"*.{kind}"))
    return sum(len(path.read_text().splitlines()) for path in files)


def main() -> None:
    began = time.monotonic()
    status = subprocess.run([str(ROOT / "cattailer"), "test"], check=False).returncode
    minutes, used = (time.monotonic() - began) / 60, resource.getrusage(resource.RUSAGE_CHILDREN)
    tests, code = lines("tests", "py"), lines("src", "py", "html", "js", "css")
    tell(
        passed=status == 0, minutes=round(minutes, 2), processor_seconds=round(used.ru_utime + used.ru_stime),
        test_lines=tests, code_lines=code, share_percent=round(100 * tests / code, 1),
    )


if __name__ == "__main__":
    main()
