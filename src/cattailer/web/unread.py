"""Why something that was typed or sent cannot be read, in a sentence."""

import math
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

_NOT = {
    "int_": "not a whole number", "float_": "not a number", "finite_number": "not a number",
    "bool_": "neither true nor false", "string_": "not text", "list_": "not a list",
}
"""By the beginning of pydantic's name for what is wrong."""
_BOUNDS = {
    "greater_than_equal": ("ge", "less than"), "greater_than": ("gt", "not more than"),
    "less_than_equal": ("le", "more than"), "less_than": ("lt", "not less than"),
}
MOST_QUOTED = 40


def sentence(why: ValidationError) -> str:
    """Of the first thing that is wrong."""
    first = why.errors()[0]
    field = str(first["loc"][-1]).replace("_", " ") if first["loc"] else "value"
    reason = _reason(first["type"], first.get("ctx", {}), first.get("input")) or first["msg"].lower()
    return f"The {field} cannot be read: {reason}. Nothing was changed."


def _reason(kind: str, about: Mapping[str, Any], given: object) -> str:
    if kind == "missing":
        return "it is missing"
    if kind == "extra_forbidden":
        return "nothing of that name is known here"
    if kind == "string_too_long":
        return f"it is longer than {about['max_length']:,} characters"
    if given == "":
        return "nothing was typed"
    if kind in _BOUNDS and _finite(given):
        name, words = _BOUNDS[kind]
        return f"{_quoted(given)} is {words} {about[name]:,}"
    if kind in ("literal_error", "enum"):
        return f"{_quoted(given)} is not {about['expected']}"
    kind = "finite_number" if kind in _BOUNDS else kind
    words = next((words for begins, words in _NOT.items() if kind.startswith(begins)), "")
    return f"{_quoted(given)} is {words}" if words else ""


def _finite(given: object) -> bool:
    try:
        return math.isfinite(float(str(given)))
    except ValueError:
        return True


def _quoted(given: object) -> str:
    text = str(given)
    return f"“{text[:MOST_QUOTED]}{'…' if len(text) > MOST_QUOTED else ''}”"
