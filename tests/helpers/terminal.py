"""The terminal as people use it: a process of its own; or in this one, where only what it says counts."""

import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from io import StringIO
from pathlib import Path
from unittest.mock import patch

from cattailer.cli import run
from tests.helpers.studio import environment


def run_cli(*arguments: str, home: Path) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "cattailer", *arguments], env=environment(home), capture_output=True, text=True, check=False,
        timeout=120,
    )


def run_here(*arguments: str, home: Path) -> subprocess.CompletedProcess[str]:
    out, err, status = StringIO(), StringIO(), 0
    with (patch.dict("os.environ", environment(home)), patch.object(sys, "argv", ["cattailer", *arguments]),
          redirect_stdout(out), redirect_stderr(err)):
        try:
            run()
        except SystemExit as ended:
            status = int(ended.code or 0)
    return subprocess.CompletedProcess(arguments, status, out.getvalue(), err.getvalue())
