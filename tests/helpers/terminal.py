"""The terminal as people use it: a process of its own."""

import subprocess
import sys
from pathlib import Path

from tests.helpers.studio import environment


def run_cli(*arguments: str, home: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "cattailer", *arguments], env=environment(home), capture_output=True, text=True, check=False,
        timeout=120,
    )
