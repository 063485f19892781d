"""The house rules that a machine can hold."""

import ast
import importlib
import re
import shutil
import subprocess
from collections import Counter
from dataclasses import is_dataclass
from enum import Enum
from functools import cache
from graphlib import TopologicalSorter
from pathlib import Path
from typing import Literal, get_origin

import pytest

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "cattailer"
TESTS = ROOT / "tests"

MAY_IMPORT = {
    "core": set(),
    "media": {"core"},
    "engine": {"core", "media"},
    "liveroom": {"core", "engine.driver"},
    "store": {"core"},
    "services": {"core", "media", "store", "engine.process.client", "engine.messages"},
    "web": {"core", "services", "engine.process.client", "engine.process.loops", "engine.messages"},
    "processes": {"core", "media", "engine", "liveroom", "store", "services"},
    "terminal": {"core", "services", "processes"},
    "cli.py": {"core", "services", "processes", "terminal"},
}
FLOORS = ("desk", "sounding", "session", "keeping", "running", "stages")
"""Of services: each may import itself and those before it. ``files`` needs no desk and is imported by none of them."""

PURE = {
    "bisect", "cattailer", "collections", "csv", "dataclasses", "datetime", "enum", "fractions", "functools", "heapq", "io", "ipaddress",
    "itertools", "math", "numpy", "re", "scipy", "secrets", "statistics", "typing", "unicodedata",
}
"""All that core may import; of these, no clock is read and nothing is opened."""
MOST_FILES, MOST_LINES = 20, 300
CROWDED: dict[str, str] = {}
"""Folders of more than ``MOST_FILES`` files, each with its reason."""


def module_of(path: Path) -> str:
    name = ".".join(("cattailer", *path.relative_to(SOURCE).with_suffix("").parts))
    return name.removesuffix(".__init__")


@cache
def imports(path: Path) -> frozenset[str]:
    """Everything that a file imports, under TYPE_CHECKING and inside functions too."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Import):
            found |= {name.name for name in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module} | {f"{node.module}.{name.name}" for name in node.names}
    return frozenset(found)


@cache
def house() -> dict[str, frozenset[str]]:
    """Which modules of the house each module imports. ``from package import module`` counts for the module alone."""
    modules = {module_of(path): path for path in SOURCE.rglob("*.py")}
    packages = {module_of(path.parent / "__init__.py") for path in SOURCE.rglob("__init__.py")}
    return {
        name: frozenset(i for i in imports(path) if i in modules and i not in packages and i != name)
        for name, path in modules.items()
    }


def floor_of(module: str) -> str:
    return module.split(".")[2] if module.startswith("cattailer.services.") else ""


@pytest.mark.parametrize("layer", sorted(MAY_IMPORT))
def test_imports_run_one_way(layer: str) -> None:
    allowed = {f"cattailer.{name}" for name in MAY_IMPORT[layer] | {layer}}
    for path in [*(SOURCE / layer).rglob("*.py"), *SOURCE.glob(layer)]:
        for name in imports(path) if path.is_file() else ():
            if name.startswith("cattailer.") and name != "cattailer.__version__":
                inside = any(name == a or name.startswith(f"{a}.") or a.startswith(f"{name}.") for a in allowed)
                assert inside, f"{path.relative_to(SOURCE)} imports {name}"


def test_no_module_leads_back_to_itself() -> None:
    TopologicalSorter(house()).prepare()  # names the circle that it finds


def test_services_are_floors() -> None:
    for name, others in house().items():
        for other in filter(floor_of, others if floor_of(name) else ()):
            mine, below = floor_of(name), floor_of(other)
            both = mine in FLOORS and below in FLOORS
            right = FLOORS.index(below) <= FLOORS.index(mine) if both else mine == below
            assert right, f"{name} imports {other}"


def test_services_lie_on_their_floors() -> None:
    for path in (SOURCE / "services").glob("*.py"):
        assert path.name == "__init__.py", f"{path.name} lies on no floor"


@pytest.mark.parametrize("layer", ["services", "web"])
def test_stages_do_not_know_each_other(layer: str) -> None:
    prefix = f"cattailer.{layer}.stages."
    for name, others in house().items():
        for other in others:
            if name.startswith(prefix) and other.startswith(prefix):
                assert name.split(".")[3] == other.split(".")[3], f"{name} imports {other}"


def test_web_does_not_reach_the_store() -> None:
    for path in (SOURCE / "web").rglob("*.py"):
        assert not any(name.startswith("cattailer.store") for name in imports(path)), path


def test_web_takes_only_words_from_core() -> None:
    """Constants, enumerations, errors, plain records and plurals; a rule is asked of a service."""
    for path in (SOURCE / "web").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.ImportFrom) and (node.module or "").startswith("cattailer.core"):
                if node.module == "cattailer.core.wording":
                    continue
                for name in node.names:
                    found = getattr(importlib.import_module(node.module or ""), name.name)
                    is_kind = isinstance(found, type) and (issubclass(found, (Enum, Exception)) or is_dataclass(found))
                    known = is_kind or name.name.isupper() or get_origin(found) is Literal
                    assert known, f"{path}: {node.module}.{name.name}"


def test_core_does_no_io() -> None:
    for path in (SOURCE / "core").rglob("*.py"):
        assert {name.split(".")[0] for name in imports(path)} <= PURE, path
        assert not re.search(r"(?<!def )(?<![\w.])open\((?!self)|\.(now|today|utcnow)\(", path.read_text()), path


def test_the_grammar_of_feeds_is_known_in_one_place() -> None:
    """No other file takes ``in:3`` or ``group:4:R`` apart, or puts it together. A finding's key may begin so."""
    text = re.compile(r"""["'`](in|soft|track|group|mix|out):(?!\{mix\.id)""")
    for path in [*SOURCE.rglob("*.py"), *(SOURCE / "web").rglob("*.html"), *(SOURCE / "web" / "static" / "js").rglob("*.js")]:
        if path.name == "ends.py" or "versions" in path.parts:
            continue
        code = re.sub(r'""".*?"""', "", path.read_text(), flags=re.S)
        assert not text.search(code), f"{path.relative_to(SOURCE)}: {text.search(code)}"


def test_addresses_are_made_by_flask() -> None:
    """No template and no script puts an address together from strings, but for the query of one that it was given."""
    for path in [*(SOURCE / "web" / "templates").rglob("*.html"), *(SOURCE / "web" / "static" / "js").rglob("*.js")]:
        text = path.read_text()
        assert not re.search(r"url_for\([^)]*\)\s*(~|\|\s*replace)", text), path
        assert not re.search(r"""hx-(post|get)="[^"]*\}\}/""", text), path
        assert not re.search(r"dataset\.\w+\.(replace|slice)\(", text), path


def test_folders_can_be_taken_in_at_a_glance() -> None:
    for folder in {path.parent for top in (SOURCE, TESTS) for path in top.rglob("*") if path.is_file()}:
        files = [p for p in folder.iterdir() if p.suffix in (".py", ".js", ".html") and p.name != "__init__.py"]
        name = folder.relative_to(ROOT).as_posix()
        assert len(files) <= MOST_FILES or name in CROWDED, f"{name} holds {len(files)} files"
        assert len(files) > MOST_FILES or name not in CROWDED, f"{name} is not crowded any more"


def test_files_stay_small() -> None:
    migrations = SOURCE / "store" / "migrations" / "versions"
    for path in [*SOURCE.rglob("*.py"), *(SOURCE / "web" / "static" / "js").rglob("*.js")]:
        assert path.parent == migrations or len(path.read_text().splitlines()) <= MOST_LINES, path


def test_tests_lie_as_the_house_lies() -> None:
    """A test of ``core/sound`` lies in ``tests/core/sound``, and imports something from there, itself or by a helper."""
    for path in TESTS.rglob("test_*.py"):
        place = path.parent.relative_to(TESTS)
        if place.parts[:1] in ((), ("e2e",)):
            continue
        assert (SOURCE / place).is_dir(), f"tests/{place} names nothing in the house"
        wanted = ".".join(("cattailer", *place.parts))
        helpers = [TESTS / "helpers" / f"{name.split('.')[2]}.py" for name in imports(path) if name.count(".") == 2 and name.startswith("tests.helpers.")]
        known = imports(path).union(*(imports(helper) for helper in helpers if helper.is_file()))
        assert any(name.startswith(wanted) for name in known), f"{path} tests nothing of {place}"


def test_tests_share_only_helpers() -> None:
    for path in TESTS.rglob("*.py"):
        for name in imports(path):
            if name.startswith("tests."):
                assert name.split(".")[1] == "helpers", f"{path} imports {name}"


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
    for path in [*(SOURCE / "web" / "templates").rglob("*.html"), *(SOURCE / "web" / "static" / "js").rglob("*.js"),
                 SOURCE / "web" / "styles" / "app.css"]:
        for address in re.findall(r"https?://[^\s\"'`$]+", path.read_text()):
            assert address.startswith("http://www.w3.org/"), path


def test_documents_name_what_is_there() -> None:
    """Paths in code marks and links, from the root, from the document, or from the house; a bare name is a file's alone."""
    documents = [ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").rglob("*.md")]
    known = Counter(path.name for path in SOURCE.rglob("*.*"))
    places = (ROOT, SOURCE, SOURCE / "web", SOURCE / "services", SOURCE / "web" / "static" / "js")
    for document in documents:
        text = document.read_text()
        for named in re.findall(r"`([a-z_/0-9-]+\.(?:py|js|html|css))`", text):
            assert known[named] == 1 or any((place / named).exists() for place in places), (document.name, named)
        for linked in re.findall(r"\]\((?!https?:)([^)#]+)", text):
            assert (document.parent / linked).exists(), (document.name, linked)
    assert len(list((ROOT / "docs" / "screenshots").iterdir())) < 20


def test_rows_are_fetched_again_in_one_way() -> None:
    """What fetches the rows that it is in is gone when a second answer comes; the rest of the page is not told then."""
    for path in (SOURCE / "web" / "templates").rglob("*.html"):
        for tag in re.findall(r"<[^>]*hx-trigger=\"[^\"]*every[^>]*>", path.read_text()):
            assert 'hx-target="#rows"' not in tag, path


def test_templates_need_no_overrides() -> None:
    """Variants and the six sizes of the sheet instead of ``!`` and values made up on the spot; lines that can be read."""
    for path in (SOURCE / "web" / "templates").rglob("*.html"):
        text = path.read_text()
        assert not re.search(r"""class="[^"]*(\s|")!?[\w:-]+-\[""", text), path
        assert not re.search(r"""class="(?:[^"]*\s)?![a-z]""", text), path
        assert not re.search(r"""class="[^"]*-\d+\.(?:25|75)\b""", text), f"{path}: a step of one pixel is a value made up"
        assert max(map(len, text.splitlines()), default=0) <= 480, path
        assert sum(len(line) > 170 for line in text.splitlines()) <= 12, path
