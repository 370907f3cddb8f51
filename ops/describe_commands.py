"""Writes what is published of the table of commands: the JSON Schema and the page of the docs. Part of `make api`."""

import json
from pathlib import Path
from typing import Any

from yuplet.editing.commands import CODEC

ROOT = Path(__file__).resolve().parents[1]
SCHEMA = ROOT / "core" / "src" / "yuplet" / "schemas" / "command.schema.json"
PAGE = ROOT / "docs" / "formats" / "commands.md"

HEAD = """# Commands

Everything that an artist does to an illustration is a command: an object whose `do` says which other fields it has. The interface sends
them one by one, `./yuplet arrange FILE --commands C.json` takes a list of them (see [arrangement.md](arrangement.md)), and the log of
an illustration keeps them. They keep to [command.schema.json](../../core/src/yuplet/schemas/command.schema.json) (JSON Schema
2020-12), which comes from the same table of the code as this page.

Rows and layers are named by their ids, places are in pixels of the canvas, colours are red, green and blue from 0 to 255. A field with
a default may be left out. `picture` names a picture that comes with the command: on the command line a file in the folder of the
commands.
"""


def schema() -> dict[str, Any]:
    """The JSON Schema of a command, as it is published."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": "urn:yuplet:command:1",
        "title": "Command",
        "description": "What an artist does, as the interface, the log and the command line have it. See commands.md.",
        **CODEC.schema(),
    }


def page() -> str:
    """The page of the docs."""
    found = schema()
    kinds = found["$defs"]
    named = {kind: kinds.pop(name["$ref"].rsplit("/", 1)[1]) for kind, name in _by_kind(found)}
    lines = [HEAD]
    for kind, one in named.items():
        lines.append(f"## `{kind}`\n\n{_text(one)}\n\n{_fields(one)}")
    lines.append("## What fields hold\n")
    for name, one in kinds.items():
        lines.append(f"### {name}\n\n{_text(one)}\n\n{_fields(one)}")
    return "\n".join(line.rstrip() + "\n" for line in lines)


def _by_kind(found: dict[str, Any]) -> list[tuple[str, dict[str, str]]]:
    return [(kind, {"$ref": where}) for kind, where in found["discriminator"]["mapping"].items()]


def _text(one: dict[str, Any]) -> str:
    # In JSON nothing is null.
    return str(one.get("description", "")).replace("(None", "(null").replace("None)", "null)")


def _fields(one: dict[str, Any]) -> str:
    rows = ["| field | value | default |", "|---|---|---|"]
    for name, field in one["properties"].items():
        if "const" in field:
            continue
        default = json.dumps(field["default"]) if "default" in field and field["default"] is not None else ""
        if "default" in field and field["default"] is None:
            default = "null"
        if name not in one.get("required", []) and not default:
            default = "{}" if field.get("type") == "object" else "none"
        rows.append(f"| `{name}` | {_kind(field)} | {f'`{default}`' if default else ''} |")
    return "\n".join(rows) if len(rows) > 2 else "It has no other field."


def _kind(field: dict[str, Any]) -> str:
    """A type in words."""
    if "$ref" in field:
        name = field["$ref"].rsplit("/", 1)[1]
        return f"[{name}](#{name.lower()})"
    if "oneOf" in field:
        return "one of " + ", ".join(_kind(one) for one in field["oneOf"])
    if "anyOf" in field:
        return " or ".join(_kind(one) for one in field["anyOf"])
    if "enum" in field:
        return ", ".join(f"`{one}`" for one in field["enum"])
    if "prefixItems" in field:
        kinds = [_kind(one) for one in field["prefixItems"]]
        return f"{len(kinds)} × {kinds[0]}" if len(set(kinds)) == 1 else ", ".join(kinds)
    kind = field.get("type")
    if kind == "array":
        limits = _limits(field, "minItems", "maxItems").strip()
        return f"list{f' ({limits})' if limits else ''} of {_kind(field['items'])}"
    if kind == "object":
        values = field.get("additionalProperties")
        return f"{_kind(values)} by row" if isinstance(values, dict) else "object"
    words = {
        "string": "text",
        "integer": "whole number",
        "number": "number",
        "boolean": "true or false",
        "null": "null",
    }
    least = "exclusiveMinimum" if "exclusiveMinimum" in field else "minimum"
    return words.get(str(kind), "any value") + _limits(field, least, "maximum")


def _limits(field: dict[str, Any], least: str, most: str) -> str:
    low, high = field.get(least), field.get(most)
    if low is None and high is None:
        return ""
    if high is None:
        return f" from {low:,}"
    return f" up to {high:,}" if low is None else f" {low:,} to {high:,}"


def main() -> None:
    """Write both."""
    SCHEMA.write_text(json.dumps(schema(), indent=2, ensure_ascii=False) + "\n", "utf-8")
    PAGE.write_text(page(), "utf-8")


if __name__ == "__main__":
    main()
