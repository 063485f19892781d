"""``cattailer record``: captures as the page can, unattended."""

import json
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner

from cattailer.cli import main
from cattailer.core.errors import Refusal
from cattailer.processes import record
from cattailer.services.session import demo

TEMPO = demo.plan(False).tempo


def recorded(out: Path, *options: str) -> list[dict[str, Any]]:
    done = CliRunner().invoke(main, [
        "record", "--demo", "--tracks", "Cello", "--out", str(out), "--clock", "virtual", "--json", *options,
    ], catch_exceptions=False)
    told = json.loads(done.output)
    assert told["dropouts"] == 0
    assert all(Path(f["path"]).is_file() for f in told["files"])
    files: list[dict[str, Any]] = told["files"]
    return files


def shapes(files: list[dict[str, Any]]) -> list[tuple[str, int, int, int]]:
    return [(f["kind"], f["pass"], f["start"], f["samples"]) for f in files]


def test_passes_over_a_range(tmp_path: Path) -> None:
    start, stop = TEMPO.sample_of(2), TEMPO.sample_of(3)
    files = recorded(tmp_path, "--range", "2-2", "--passes", "2", "--pre-roll", "1")
    assert shapes(files) == [("take", n, start, stop - start) for n in (1, 2)]


@pytest.mark.parametrize(("options", "says"), [
    ({}, "how long"), ({"seconds": 0.0}, "more than 0"), ({"seconds": 1.0, "punch": True}, "--range"),
    ({"passes": 2, "seconds": 1.0}, "--range"), ({"bars": (5, 4)}, "later one"), ({"bars": (0, 4)}, "later one"),
    ({"limit_s": 1e9}, "cannot be"), ({"seconds": 1.0, "begin": "sound", "threshold_dbfs": 3.0}, "cannot be"),
    ({"passes": 0, "bars": (1, 2)}, "how long"), ({"seconds": 0.2, "begin": "sound", "threshold_dbfs": 0.0}, "Nothing"),
])
def test_what_cannot_be_is_said_and_writes_nothing(tmp_path: Path, options: dict[str, Any], says: str) -> None:
    plan = record.choose(demo.plan(False), "Cello")
    with pytest.raises(Refusal, match=says):
        record.record(plan, tmp_path, record.Way(**options), True, 1)
    assert not list(tmp_path.rglob("*.wav"))
    for typed in ("x", "1-y", "-3-"):
        with pytest.raises(Refusal, match="two bars"):
            record.read_bars(typed)
