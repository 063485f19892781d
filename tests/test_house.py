"""The house rules that a machine can hold."""

import ast
import re
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "cattailer"

MAY_IMPORT = {
    "core": set(),
    "media": {"core"},
    "engine": {"core", "media"},
    "liveroom": {"core"},
    "store": {"core"},
    "services": {"core", "media", "store", "engine.client"},
    "web": {"core.errors", "services", "engine.client"},
    "processes": {"core", "media", "engine", "liveroom", "store", "services"},
}
IO_MODULES = {"os", "pathlib", "socket", "subprocess", "time", "threading", "sqlalchemy", "flask", "zmq"}


def imports(path: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module} | {f"{node.module}.{name.name}" for name in node.names}
    return found


@pytest.mark.parametrize("layer", sorted(MAY_IMPORT))
def test_imports_run_one_way(layer: str) -> None:
    allowed = {f"cattailer.{name}" for name in MAY_IMPORT[layer] | {layer}}
    for path in (SOURCE / layer).rglob("*.py"):
        for name in imports(path):
            if name.startswith("cattailer."):
                inside = any(name == a or name.startswith(f"{a}.") or a.startswith(f"{name}.") for a in allowed)
                assert inside, f"{path.relative_to(SOURCE)} imports {name}"


def test_web_does_not_reach_the_store() -> None:
    for path in (SOURCE / "web").rglob("*.py"):
        assert not any(name.startswith("cattailer.store") for name in imports(path)), path


def test_core_does_no_io() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        assert not {name.split(".")[0] for name in imports(path)} & IO_MODULES, path


def test_files_stay_small() -> None:
    for path in [*SOURCE.rglob("*.py"), *(SOURCE / "web" / "static" / "js").glob("*.js")]:
        assert len(path.read_text().splitlines()) <= 320, path


def test_the_style_sheet_is_fresh(tmp_path: Path) -> None:
    """The committed sheet is what the templates and scripts of today need."""
    if shutil.which("npx") is None or not (ROOT / "node_modules").exists():
        pytest.fail("npm packages are missing; ./cattailer test installs them")
    out = tmp_path / "app.css"
    subprocess.run(
        ["npx", "tailwindcss", "--input", "src/cattailer/web/styles/app.css", "--output", str(out), "--minify"],
        cwd=ROOT, check=True, capture_output=True,
    )
    assert out.read_text() == (SOURCE / "web" / "static" / "app.css").read_text(), "run: npm run sheet"


def test_lock_files_hold_no_addresses() -> None:
    for name in ("requirements.lock", "requirements-dev.lock", "package-lock.json"):
        text = (ROOT / name).read_text()
        assert not re.search(r"https?://|--index-url|resolved", text.replace("https://github.com/sponsors", "")
                             if name.endswith(".lock") else re.sub(r'"url": "[^"]*"', "", text)), name


def test_nothing_is_fetched_from_elsewhere() -> None:
    for path in [*(SOURCE / "web" / "templates").rglob("*.html"), *(SOURCE / "web" / "static" / "js").glob("*.js"),
                 SOURCE / "web" / "styles" / "app.css"]:
        for address in re.findall(r"https?://[^\s\"'`$]+", path.read_text()):
            assert address.startswith("http://www.w3.org/"), path


@pytest.mark.parametrize("command", [["ruff", "check", "src", "tests", "bench", "cattailer"],
                                     ["mypy", "--strict", "-p", "cattailer"]])
def test_linters_agree(command: list[str]) -> None:
    done = subprocess.run([str(ROOT / ".venv" / "bin" / command[0]), *command[1:]], cwd=ROOT, capture_output=True,
                          text=True, check=False)
    assert done.returncode == 0, done.stdout[-2000:]
