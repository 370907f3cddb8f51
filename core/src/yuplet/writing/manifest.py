"""The manifest and the table of places. The format is described in docs/formats/manifest.md and its JSON Schema."""

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from typing import Any

from yuplet import __version__
from yuplet.arrangement.looks import is_looks
from yuplet.arrangement.tree import PartGroup, Row
from yuplet.geometry import Box, Point
from yuplet.illustration.made import Turn
from yuplet.parts.fitting import fractions
from yuplet.plan.plan import CREDITS, MANIFEST, REFERENCE, TABLE, Plan, PlannedPart

FORMAT = "yuplet-package"
VERSION = 1


@dataclass(frozen=True, slots=True)
class WrittenFile:
    """What is known of a file after it was written: size, SHA-256, and for images the CRC-32 of their RGBA pixels."""

    bytes: int
    sha256: str
    pixels_crc32: str = ""


def manifest(
    plan: Plan, written: Mapping[str, WrittenFile], boxes: Mapping[str, Box], obsolete: Sequence[str]
) -> dict[str, Any]:
    """The manifest as plain JSON values.

    `written` holds every file but the manifest itself; `boxes` the tight box of each part by its id, in canvas pixels;
    `obsolete` the files of an earlier package that are still in the folder.
    """
    return {
        "format": FORMAT,
        "version": VERSION,
        "made_by": f"Yuplet {__version__}",
        "illustration": {"id": plan.illustration_id, "title": plan.title, "source_sha256": plan.source_sha256},
        "credit": plan.credit.as_json(),
        "canvas": {"width": plan.canvas.width, "height": plan.canvas.height, "ppi": plan.ppi, "colour_space": "sRGB"},
        "camera": {"distance": _plain(plan.distance), "travel": _plain(plan.travel)},
        "scale": 1,
        "alpha": "straight",
        "counts": {
            "parts": len(plan.parts),
            "shown": sum(planned.shown for planned in plan.parts),
            "hidden": sum(not planned.shown for planned in plan.parts),
            "files": len(plan.files),
        },
        "reference": {"file": REFERENCE, **_file(written[REFERENCE])},
        "table": _plain_file(TABLE, written),
        "credits": _plain_file(CREDITS, written),
        "parts": [_part(planned, plan, boxes, written) for planned in plan.parts],
        "tree": [_node(row) for row in plan.tree],
        "obsolete": list(obsolete),
    }


def places_table(plan: Plan, boxes: Mapping[str, Box]) -> bytes:
    """The places as CSV (RFC 4180) in UTF-8, a line a part, back to front."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(
        [
            "order",
            "group",
            "name",
            "file",
            "x",
            "y",
            "width",
            "height",
            "centre_x",
            "centre_y",
            "shown",
            "opacity",
            "blend",
            "mirrored",
            "quarters",
            "parent",
            "pivot_x",
            "pivot_y",
            "depth",
            "role",
        ]
    )
    files = {planned.part.id: planned.file for planned in plan.parts}
    for planned in plan.parts:
        box, pivot = boxes[planned.part.id], planned.part.pivot
        writer.writerow(
            [
                planned.order,
                "/".join(planned.path[:-1]),
                planned.path[-1],
                planned.file,
                *box.as_xywh(),
                *(_plain(value) for value in box.centre),
                "yes" if planned.shown else "no",
                _plain(planned.part.opacity),
                planned.part.blend,
                "yes" if planned.turn and planned.turn.mirrored else "no",
                planned.turn.quarters if planned.turn else 0,
                files.get(plan.parents.get(planned.part.id, ""), ""),
                *(("", "") if pivot is None else (_plain(value) for value in pivot)),
                _plain(planned.part.depth),
                planned.part.role,
            ]
        )
    return out.getvalue().encode()


def files_of(value: Mapping[str, Any]) -> set[str]:
    """All files that a manifest of ours lists, itself and the obsolete ones included."""
    listed = {MANIFEST, *(value[name]["file"] for name in ("reference", "table", "credits")), *value["obsolete"]}
    frames = {image["file"] for part in value["parts"] if part["frames"] for image in part["frames"]["images"]}
    return listed | frames | {part["file"] for part in value["parts"]}


def _plain(value: float) -> float | int:
    return int(value) if float(value).is_integer() else value


def _plain_file(name: str, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    return {"file": name, "bytes": written[name].bytes, "sha256": written[name].sha256}


def _file(written: WrittenFile) -> dict[str, Any]:
    return {"bytes": written.bytes, "sha256": written.sha256, "pixels_crc32": written.pixels_crc32}


def _xywh(box: Box) -> dict[str, int]:
    return {"x": box.left, "y": box.top, "width": box.width, "height": box.height}


def _part(
    planned: PlannedPart, plan: Plan, boxes: Mapping[str, Box], written: Mapping[str, WrittenFile]
) -> dict[str, Any]:
    part, canvas = planned.part, plan.canvas
    box = boxes[part.id]
    parent = plan.parents.get(part.id)
    centre = box.centre
    turn = planned.turn or Turn()
    return {
        "id": part.id,
        "name": planned.path[-1],
        "path": list(planned.path),
        "file": planned.file,
        "turn": {"mirrored": turn.mirrored, "quarters": turn.quarters},
        "order": planned.order,
        "shown": planned.shown,
        "box": _xywh(box),
        "trim": _xywh(box),
        "beyond": part.beyond,
        "centre": {
            "y_down": [_plain(centre.x), _plain(centre.y)],
            "y_up": [_plain(centre.x), _plain(canvas.height - centre.y)],
        },
        "pivot": None if part.pivot is None else _pivot(part.pivot, box),
        "parent": parent,
        "depth": {
            "z": _plain(part.depth),
            "scale": None if part.depth <= -plan.distance else _plain(1 + part.depth / plan.distance),
        },
        "fractions": {
            "canvas": _fractions(box, Box(0, 0, *canvas)),
            "parent": None if parent is None else _fractions(box, boxes[parent]),
            "aspect": _plain(box.width / box.height),
        },
        "margins": None if part.margins is None else part.margins._asdict(),
        "anchor": None if part.anchor is None else [_plain(value) for value in part.anchor],
        "opacity": _plain(part.opacity),
        "blend": part.blend,
        "role": part.role,
        "frames": _frames(planned, written) if len(planned.files) > 1 else None,
        **_file(written[planned.file]),
    }


def _fractions(box: Box, within: Box) -> dict[str, float | int]:
    return {name: _plain(value) for name, value in asdict(fractions(box, within)).items()}


def _frames(planned: PlannedPart, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    pairs = zip(planned.files, planned.part.frames, strict=True)
    images = [{"file": file, "milliseconds": frame.milliseconds, **_file(written[file])} for file, frame in pairs]
    return {"loops": planned.part.loops, "images": images}


def _pivot(pivot: Point, box: Box) -> dict[str, list[float | int]]:
    inside = Point(pivot.x - box.left, pivot.y - box.top)
    return {
        "canvas": [_plain(pivot.x), _plain(pivot.y)],
        "box": [_plain(inside.x), _plain(inside.y)],
        "fraction": [_plain(inside.x / box.width), _plain(inside.y / box.height)],
    }


def _node(row: Row) -> dict[str, Any]:
    if isinstance(row, PartGroup):
        return {
            "group": row.name,
            "shown": row.shown,
            "opacity": _plain(row.opacity),
            "blend": row.blend,
            "isolated": row.isolated,
            "alternates": row.alternate is not None,
            "looks": is_looks(row),
            "members": [_node(member) for member in row.members],
        }
    return {"part": row.id, "shown": row.shown}
