"""The ready check."""

from cattailer.core import findings
from cattailer.core.advice import ready


def _row(**changes: object) -> ready.RowState:
    return ready.RowState(**{"name": "Cello", "armed": True, "pickup": "condenser", "phantom": True, "fed": True,
                             **changes})  # type: ignore[arg-type]


def test_ready_check_names_what_is_wrong() -> None:
    assert [f.kind for f in ready.check([_row()], 100, "1 h", True)] == ["good", "good"]
    found = ready.check([_row(phantom=False), _row(name="DI", fed=False)], 5, "5 min", True)
    assert [f.kind for f in found] == ["look"] * 3
    assert "without 48 V" in found[1].text
    assert ready.check([_row(armed=False)], 100, "1 h", True)[0].kind == "stop"
    assert ready.check([_row()], 100, "1 h", False)[0].text.startswith("The engine")
    assert findings.stage_mark(found, True) == "look"
    assert findings.stage_mark([], True) == "settled"
    assert findings.stage_mark([], False) == "untouched"
