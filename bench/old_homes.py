"""Homes as every earlier version of the tables left them: each is made by the last commit that had that version, with two
captures one over the other and an edit; then opened by this one. It must sound as what was captured, undo to its first step
without a fault, and sound so again once all is done again.

usage: python bench/old_homes.py [VERSION …]     (versions such as 0012; needs the repository's history, and what those
commits needed, such as gunicorn, on PYTHONPATH)
"""

import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.parse
import urllib.request
from contextlib import suppress
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

import numpy as np
import soundfile
from common import tell
from numpy.typing import NDArray
from tests.helpers.studio import environment, free_port, home_of_its_own

ROOT = Path(__file__).resolve().parents[1]
VERSIONS = Path("src/cattailer/store/migrations/versions")
Sound = NDArray[np.float64]


def git(*arguments: str) -> str:
    return subprocess.run(["git", "-C", str(ROOT), *arguments], capture_output=True, text=True, check=True).stdout.strip()


def last_commits() -> dict[str, str]:
    """By version: the last commit before the next one came."""
    files = sorted(file.name for file in (ROOT / VERSIONS).glob("0*.py"))
    came = [git("log", "--diff-filter=A", "--format=%H", "-1", "--", str(VERSIONS / name)) for name in files]
    return {name[:4]: f"{after}~1" for name, after in zip(files, came[1:], strict=False)}


class Running:
    """A studio of some checkout, at a home."""

    def __init__(self, code: Path, home: Path) -> None:
        self.home, self.port = home, free_port()
        options = ["--port", str(self.port)]
        if "https-port" in (code / "src/cattailer/__main__.py").read_text():
            options += ["--https-port", str(free_port())]
        self.log = home.parent / f"{home.name}.log"
        with open(self.log, "w") as log:
            self.process = subprocess.Popen(
                [sys.executable, "-m", "cattailer", "demo", *options], cwd=code, stdout=log, stderr=log,
                env={**environment(home), "PYTHONPATH": os.pathsep.join([str(code / "src"), os.environ.get("PYTHONPATH", "")])},
            )
        self.until(lambda: self.get("/alive") is not None)

    def until(self, what) -> None:  # type: ignore[no-untyped-def]
        until = time.monotonic() + 90
        while True:
            with suppress(OSError):
                if what():
                    return
            if self.process.poll() is not None or time.monotonic() > until:
                logs = [self.log, *(self.home / "logs").glob("*.out")]
                raise RuntimeError("".join(log.read_text()[-900:] for log in logs))
            time.sleep(0.1)

    def get(self, path: str) -> str:
        with urllib.request.urlopen(f"http://127.0.0.1:{self.port}{path}", timeout=30) as answer:
            return str(answer.read().decode())

    def press(self, path: str, **fields: object) -> int:
        """The answer's status."""
        try:
            sent = urllib.parse.urlencode(fields).encode()
            with urllib.request.urlopen(f"http://127.0.0.1:{self.port}{path}", sent, timeout=60) as answer:
                return int(answer.status)
        except urllib.error.HTTPError as why:
            return why.code

    def end(self) -> None:
        self.process.send_signal(signal.SIGINT)
        self.process.wait(60)


def played(old: Running, home: Path) -> list[Path]:
    """Two captures of two tracks, one over the other, and a name; the files of each, the newest last."""
    for track in (1, 6):
        old.press(f"/s/1/tracks/{track}/arm", armed="true")
    for seconds in (3.0, 1.5):
        old.press("/s/1/locate", position=0)
        if old.press("/s/1/capture") >= 400:
            raise RuntimeError("it captures nothing")
        time.sleep(seconds)
        old.press("/s/1/stop")
        time.sleep(2)
    old.press("/s/1/tracks/1/name", name="Renamed")
    time.sleep(2)
    return sorted(file for file in (home / "media").rglob("*.wav") if not file.name.startswith("."))


def heard(now: Running) -> list[Sound]:
    """What is in use, by track, written out."""
    if now.press("/s/1/takes/sheet/write") >= 400:
        return []
    now.until(lambda: "Writing," not in now.get("/s/1/takes/sheet/write"))
    where = re.search(r"files? in (\S+?)\. ", now.get("/s/1/takes/sheet/write"))
    if where is None:
        raise RuntimeError("nothing was written")
    files = sorted(Path(where[1]).glob("*.wav"))
    return [soundfile.read(file, dtype="float64")[0] for file in files]


def steps(now: Running, way: str) -> int:
    """How many steps there are that way; raises on anything else than that there are no more."""
    for count in range(200):
        status = now.press(f"/s/1/{way}")
        if status == 409:
            return count
        if status >= 400:
            raise RuntimeError(f"{way} answered {status}")
    raise RuntimeError(f"{way} has no end")


def tried(version: str, commit: str) -> dict[str, object]:
    code, home = Path(tempfile.mkdtemp(prefix="cattailer-old-")), home_of_its_own()
    os.chmod(code, 0o755)
    git("worktree", "add", "--force", "--detach", str(code), commit)
    try:
        old = Running(code, home)
        try:
            files = played(old, home)
        finally:
            old.end()
        now = Running(ROOT, home)
        try:
            now.press("/s/1/enter")
            first = heard(now)
            # The newest take lies on top from its first sample on.
            newest = [soundfile.read(f, dtype="float64")[0] for f in files if "run-002" in str(f)]
            found = sum(any(len(a) <= len(b) and _inside(a, b) for b in first) for a in newest)
            back, on = steps(now, "undo"), steps(now, "redo")
            again = heard(now)
        finally:
            now.end()
        same = len(first) == len(again) and all(np.array_equal(a, b) for a, b in zip(first, again, strict=True))
        return {"files": len(files), "newest_takes": len(newest), "of_them_heard": found, "undone": back, "redone": on, "same": same}
    except RuntimeError as why:
        return {"fault": str(why)}
    finally:
        git("worktree", "remove", "--force", str(code))
        shutil.rmtree(home, ignore_errors=True)


def _inside(take: Sound, whole: Sound) -> bool:
    """Whether the middle of a take is in the whole to the sample, wherever the whole begins."""
    middle = take[len(take) // 4 : len(take) // 4 + 8000]
    first = np.flatnonzero(np.all(np.atleast_2d(whole.T).T[:, :1] == np.atleast_2d(middle.T).T[0, :1], axis=1))
    return any(np.array_equal(whole[at : at + len(middle)], middle) for at in first)


def main() -> None:
    commits = last_commits()
    tell(**{version: tried(version, commits[version]) for version in sys.argv[1:] or commits})


if __name__ == "__main__":
    main()
