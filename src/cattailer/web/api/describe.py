"""Makes ``docs/api.md`` from the models: ``python -m cattailer.web.api.describe > docs/api.md``."""

from typing import Any

from pydantic import BaseModel

from cattailer.web.api.routes import COMMANDS, PREFIX, Command

HEAD = f"""# The API

What the Deck does, arming, levels and the run log, as JSON, for scripts and other controllers. This page is made from
the models in `src/cattailer/web/api/models.py` (`python -m cattailer.web.api.describe > docs/api.md`); a test holds it
against them.

Commands go to the session that is open in the studio, below `{PREFIX}/`. Answers are JSON; whatever cannot be done is
answered with a 4xx status (503 where the engine or the database is away) and `{{"refused": "why, in words"}}`, and then
nothing was changed.

**Keys.** On the studio machine none is needed (but with `--shared-machine`). From elsewhere a script needs a key of its
own, from the page of devices or from `./cattailer pair --for-script --name "Foot switch"`, and sends it over HTTPS:

```
curl --cacert certificate.pem -H "Authorization: Bearer KEY" https://studio.local:8443{PREFIX}/state
```

An assistant's key reads, and marks. `examples/footswitch.py` is a foot switch in a few lines.
"""

WORDS = {"integer": "whole number", "number": "number", "string": "text", "boolean": "true or false", "null": "null"}


def page() -> str:
    return "\n".join([HEAD, *(_command(c) for c in COMMANDS)])


def _command(command: Command) -> str:
    where = "In the query" if command.method == "GET" else "In the body"
    parts = [f"## `{command.method} {command.path}`", "", command.says, ""]
    if command.asks.model_fields:
        parts += [f"{where}:", "", *_fields(command.asks), ""]
    parts += ["Answers:", "", *_fields(command.answers), ""]
    return "\n".join(parts)


def _fields(model: type[BaseModel]) -> list[str]:
    schema = model.model_json_schema()
    out = ["| field | type | |", "|---|---|---|"]
    return out + _rows(schema, schema.get("$defs", {}), "")


def _rows(schema: dict[str, Any], known: dict[str, Any], prefix: str) -> list[str]:
    out = []
    for name, field in schema.get("properties", {}).items():
        says = field.get("description", "")
        default = field.get("default")
        if "default" in field and default not in (None, "", []):
            says = f"{says} Without it: `{str(default).lower() if isinstance(default, bool) else default}`.".strip()
        elif name not in schema.get("required", []):
            says = f"{says} May be left out.".strip()
        out.append(f"| `{prefix}{name}` | {_type(field)} | {says} |")
        inner = field.get("items", {}).get("$ref", "").rpartition("/")[2]
        if inner:
            out += _rows(known[inner], known, f"{prefix}{name}[].")
    return out


def _type(field: dict[str, Any]) -> str:
    if "anyOf" in field:
        return " or ".join(_type(f) for f in field["anyOf"])
    if field.get("type") == "array":
        return "list" if "$ref" in field.get("items", {}) else f"list of {_type(field['items'])}s"
    return WORDS[field["type"]]


if __name__ == "__main__":
    print(page(), end="")
