"""The terminal as people use it: a process of its own."""

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[2]


def run_cli(*arguments: str, home: Path) -> subprocess.CompletedProcess[str]:
    environment = {**os.environ, "CATTAILER_HOME": str(home), "PYTHONPATH": str(ROOT / "src")}
    return subprocess.run(
        [sys.executable, "-m", "cattailer", *arguments], env=environment, capture_output=True, text=True, check=False,
        timeout=120,
    )
