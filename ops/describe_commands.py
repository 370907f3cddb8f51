"""Writes what is published of the tables of commands, and of motions: the JSON Schemas and the pages of the docs. Part of `make api`."""

import json
from pathlib import Path
from typing import Any

from yuplet.editing.commands import CODEC
from yuplet.rehearsal.motion.commands import commands_schema
from yuplet.rehearsal.motion.document import motion_schema

ROOT = Path(__file__).resolve().parents[1]
SCHEMAS = ROOT / "core" / "src" / "yuplet" / "schemas"
PAGES = ROOT / "docs" / "formats"

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


MOTION_HEAD = """# Motion

How the parts of a package move, as *Try out* keeps it. It stands beside the package and changes nothing in it: parts are named by their ids, sets of
alternates and looks by the names of the groups around them and their own, with `/` between. It keeps to
[motion.schema.json](../../core/src/yuplet/schemas/motion.schema.json) (JSON Schema 2020-12).

```json
{
 "stage": { "rate": 24, "duration": 1.0, "iterations": null, "direction": "alternate", "fill": "both", "ground": null },
 "tracks": [
  { "target": "n2-249", "property": "rotate", "keys": [
    { "at": 0.0, "value": 0.0, "easing": "ease-in-out" },
    { "at": 1.0, "value": 30.0, "easing": "linear" } ] },
  { "target": "head/mouths", "property": "shown", "keys": [ { "at": 0.5, "value": "mouth round", "easing": "linear" } ] }
 ]
}
```

**Time** is that of W3C Web Animations: `duration`, `iterations` (null: without end), `direction` and `fill` mean what they mean there, without a delay. `at` is in
seconds of one iteration. Pictures are seen `rate` times a second.

**Between keys** a value goes from one to the next by the `easing` of the first, a function of W3C CSS Easing Functions Level 2. Before its first key a property is as at that key,
after the last as at that one; with one key it is a pose. `shown` changes at its keys.

**Where a part lies.** `translate` is in pixels of the canvas, x to the right and y down; `rotate` in degrees, clockwise; `scale` are factors across and down; `opacity` is a factor
of the part's own. A part is sized, then turned, then moved, about its pivot, or about the middle of its box where it has none; then comes the map of the part
that carries it (`parent` in the [manifest](manifest.md)).

**Along a path** (W3C Motion Path): `paths` gives a part SVG path data in pixels of the canvas. With keys of `offset-distance`, in hundredths of the path's length, its pivot lies on the path; it turns
with the path's direction and by `turns` degrees more, or, where that is null, does not.

**The camera** is a track of the target `@camera`: pixels to the right, down, and towards the picture. A part at depth z moves by the camera's way times D / (D + z), and going towards it by c makes it
(D + z) / (D + z - c) times as large, about the middle of the canvas; D is the `camera.distance` of the manifest, z its `depth.z`. So at rest everything is as drawn. The ground's colour is `ground` of the
target `@stage`.

## Files that play it

`./yuplet try DIR --motion M.json --film FILE`, and *Film* in *Try out*, write the motion by the ending of the file. Beside films there are:

- **A page** (`.html`) that moves by Web Animations, and **a drawing** (`.svg`) that moves by CSS animations. Each is one file with its pictures in it, as large as the canvas. Elements are
  grouped and laid as in the package; the image of a part has its id as `data-part`. One iteration is written picture by picture as `matrix()` of the canvas, `opacity` and `visibility`, so that every easing,
  path and camera comes along; length, iterations, direction and fill are the stage's. Modes of blending that CSS does not have are laid normally, and that is said.
- **A model** (`.glb`, glTF 2.0): a node for each part at its pivot, below the node of what carries it, with channels for translation, rotation and scale. y points up, z to whoever looks, a unit is 100 px, the
  bottom left corner of the canvas is at 0, 0; parts lie 0.001 units before each other. What is not seen has a size of 0. `extras` of a node has the part's `id`, its `path` and what it turns `about`, in pixels
  of the canvas. A motion back and forth is written there and back. An opacity that changes, modes other than normal, grounds, and pictures that follow each other are not carried, and that is said.
- **The motion** as JSON (`.json`), in the form above.

What was written is read back by other code and compared at up to 20 moments: no corner of a part may lie elsewhere by more than 0.05 px, and no part be seen when it should not. `replay` of the answer says what came of it.

## Samples

`GET /api/rehearsals/{id}/motion/samples` answers where everything is at each picture of one iteration, its end included, as little-endian bytes:

| what | as |
|---|---|
| number of pictures T, of parts P, of parts that move M, of sets S; 1 where the ground changes, plus 2 where the camera does | 5 × uint32 |
| the numbers of the parts that move; parts are counted back to front, from 0 | M × uint32 |
| each part at the first picture: a, b, c, d, e, f as in CSS `matrix()`, and the factor of its opacity | P × 7 × float32 |
| the same of those that move, picture by picture | T × M × 7 × float32 |
| the number of the member that is seen of each set | T × S × int32 |
| the ground, where it changes: red, green and blue from 0 to 255 | T × 3 × float32 |
| the camera, where it moves: to the right, down, nearer | T × 3 × float32 |

Times are `min(k / rate, duration)` for k from 0. The header `Motion-Version` is the version that was sampled.

## Steps

What somebody does to a motion is a command, as for the [rows](commands.md): an object whose `do` says which other fields it has.
"""


def motion() -> dict[str, Any]:
    """The JSON Schema of a motion, as it is published."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "$id": "urn:yuplet:motion:1",
        **motion_schema(),
        "title": "Motion",
        "description": "How the parts of a package move. See motion.md.",
    }


def page(head: str, found: dict[str, Any]) -> str:
    """A page of the docs: a head, and what there is of a table of commands."""
    kinds = found["$defs"]
    named = {kind: kinds.pop(name["$ref"].rsplit("/", 1)[1]) for kind, name in _by_kind(found)}
    lines = [head]
    for kind, one in named.items():
        lines.append(f"## `{kind}`\n\n{_text(one)}\n\n{_fields(one)}")
    lines.append("## Types of fields\n")
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
        by = "name" if "propertyNames" in field else "row"
        return (
            f"({_kind(values)}) by {by}"
            if by == "name"
            else f"{_kind(values)} by row"
            if isinstance(values, dict)
            else "object"
        )
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
    low, high = (
        int(one) if isinstance(one, float) and one.is_integer() else one for one in (field.get(least), field.get(most))
    )
    if low is None and high is None:
        return ""
    if high is None:
        return f" from {low:,}"
    return f" up to {high:,}" if low is None else f" {low:,} to {high:,}"


def published() -> dict[Path, str]:
    """All files that are written here, and what is in them."""
    return {
        SCHEMAS / "command.schema.json": _written(schema()),
        SCHEMAS / "motion.schema.json": _written(motion()),
        PAGES / "commands.md": page(HEAD, schema()),
        PAGES / "motion.md": page(MOTION_HEAD, commands_schema()),
    }


def _written(value: dict[str, Any]) -> str:
    return json.dumps(value, indent=2, ensure_ascii=False) + "\n"


def main() -> None:
    """Write all of them."""
    for path, text in published().items():
        path.write_text(text, "utf-8")


if __name__ == "__main__":
    main()
