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
    assert found[1].cure is None
    (cured,) = [f.cure for f in ready.check([_row(phantom=False, sockets=(3,))], 100, "1 h", True) if f.cure]
    assert (cured.action, cured.arguments) == ("phantom", (("socket", "3"),))
    assert findings.stage_mark(found, True) == "look"
    assert findings.stage_mark([], True) == "settled"
    assert findings.stage_mark([], False) == "untouched"


def test_it_names_what_would_be_captured_twice_lost_or_without_a_name() -> None:
    rows = [_row(sockets=(3,)), _row(name="Cello 2", sockets=(3, 4)), _row(name="Room", armed=False, sockets=(4,))]
    texts = [f.text for f in ready.check(rows, 100, "1 h", True)]
    assert "Cello and Cello 2 would both capture socket 3" in texts
    assert not any("socket 4" in t for t in texts), "only what is armed"
    texts = [f.text for f in ready.check([_row(sockets=(3,))], 100, "1 h", True, None, 2)]
    assert texts[0] == "2 dropouts since the interface was opened. A larger buffer in Timing loses less"
    assert not any("dropout" in f.text for f in ready.check([_row()], 100, "1 h", False, None, 2))
    texts = [f.text for f in ready.check([_row(name="Track 4"), _row(name="input 9"), _row()], 100, "1 h", True)]
    assert texts[0] == "2 tracks have no name yet: the file would be called Track 4"
    assert [f.kind for f in ready.check([_row(sockets=(3, 3))], 100, "1 h", True)] == ["good", "good"], "a pair of one"


def test_it_hears_what_would_be_silent_forgotten_or_clipped() -> None:
    rows = [
        _row(silent_s=24.0), _row(name="Drum", clipped=True), _row(name="Room", armed=False, loud=True),
        _row(name="Harmonium", loud=True, silent_s=19.9),
    ]
    texts = [f.text for f in ready.check(rows, 100, "1 h", True)]
    assert texts[:3] == [
        "Cello is armed, and nothing has come in for 24 s",
        "Drum clipped since the peaks were reset: turn the gain down", "Room is playing and not armed",
    ]
    nobody = [f.text for f in ready.check([_row(armed=False, loud=True)], 100, "1 h", True)]
    assert not any("playing" in text for text in nobody), "where nothing is armed that is said already"
    own = findings.Finding("look", "Ears 1 is without Cello", "own:1:3")
    assert own in ready.check([_row()], 100, "1 h", True, elsewhere=[own])
