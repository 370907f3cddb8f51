"""The manifest and the table of places. The format is described in docs/formats/manifest.md and its JSON Schema."""

import csv
import io
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from yuplet.arrangement.sets.looks import is_looks
from yuplet.arrangement.tree import PartGroup, Row
from yuplet.framing.screens import fractions
from yuplet.geometry import Box, Point, Size, box_around
from yuplet.illustration.derived import Turn
from yuplet.plan.planned import (
    CREDITS,
    Plan,
    PlannedExtra,
    PlannedFrame,
    PlannedImage,
    PlannedPart,
    PlannedScale,
    PlannedSheet,
    Spot,
)
from yuplet.plan.recipe import OPAQUE
from yuplet.plan.tolerance import allowed
from yuplet.version import __version__
from yuplet.writing.sheets import within
from yuplet.writing.tables import cell

FORMAT = "yuplet-package"
VERSION = 1


@dataclass(frozen=True, slots=True)
class WrittenFile:
    """What is known of a file after it was written: size, SHA-256, for images that lose nothing the CRC-32 of their RGBA pixels, the key
    of what it was computed from, and the box of its content within the image. `is_kept` tells that it was there already.
    """

    bytes: int
    sha256: str
    pixels_crc32: str = ""
    key: str = ""
    content: Box | None = None
    is_kept: bool = False

    @property
    def again(self) -> "WrittenFile":
        """The same, taken over from an earlier package."""
        return replace(self, is_kept=True)


def manifest(
    plan: Plan, at: PlannedScale, written: Mapping[str, WrittenFile], obsolete: Sequence[str], exact: bool
) -> dict[str, Any]:
    """The manifest of one scale as plain JSON values; the first one names the others.

    `written` holds every file but the manifests that come before it; `obsolete` the files of an earlier package that are still in the
    folder. `exact` is whether the picture must come back to the pixel.
    """
    is_main = at is plan.main
    factor, ppi = float(at.factor), plan.ppi_at(at)
    images = dict.fromkeys(file for image in at.images.values() for file in image.files)
    tables = [sheet.table for sheet in at.sheets if sheet.table]
    return {
        "format": FORMAT,
        "version": VERSION,
        "made_by": f"Yuplet {__version__}",
        "illustration": {"id": plan.illustration_id, "title": plan.title, "source_sha256": plan.source_sha256},
        "recipe": plan.recipe.name,
        "credit": plan.credit.as_json(),
        "canvas": {
            "width": at.canvas.width,
            "height": at.canvas.height,
            "ppi": None if ppi is None else _plain(ppi),
            "colour_space": "sRGB",
        },
        "camera": {"distance": _plain(plan.distance * factor), "travel": _plain(plan.travel * factor)},
        "scale": _plain(factor),
        "scales": [_other(one, written) for one in plan.scales if one is not at] if is_main else [],
        "smooth": plan.recipe.smooth,
        "bits": plan.recipe.images.bits,
        "alpha": "straight",
        "tolerance": {"largest": 0, "mean": 0} if exact else asdict(allowed(plan.recipe, plan.parts, at.factor)),
        "counts": {
            "parts": len(plan.parts),
            "shown": sum(planned.shown for planned in plan.parts),
            "hidden": sum(not planned.shown for planned in plan.parts),
            "files": len(images) + len(tables) + (len(plan.extras) if is_main else 0) + 4,
        },
        "reference": {
            "file": at.reference,
            "ground": plan.recipe.reference_ground and list(plan.recipe.reference_ground),
            **_file(written[at.reference]),
        },
        "table": _plain_file(at.table, written),
        "credits": _plain_file(CREDITS, written),
        "beside": [_extras(one, plan, written, exact) for one in plan.extras] if is_main else [],
        "sheets": [_sheet(sheet, plan, written) for sheet in at.sheets],
        "parts": [_part(planned, plan, at, written) for planned in plan.parts],
        "tree": [node(row) for row in plan.tree],
        "obsolete": list(obsolete) if is_main else [],
        # Nobody sees the package before that has been tried.
        **({"proved": True} if is_main else {}),
    }


_OF_DRAWINGS = {"largest": 16, "mean": 0.5}
"""Whoever draws SVG rounds after every shape, and smooths edges in a way of its own. Images in it are never lossy."""


_OF_ROUNDED = {"largest": 4, "mean": 0.5}
"""Each of the parts that are laid over each other adds up to half a level, and mostly less: measured on layers that let through what is behind."""


def _of_scene(plan: Plan, exact: bool) -> dict[str, float]:
    # Of no part: what is lossy elsewhere is not so in the scene.
    scaled = {} if exact else asdict(allowed(plan.recipe, (), plan.main.factor))
    return {name: max(most, scaled.get(name, 0)) for name, most in _OF_DRAWINGS.items()}


def _extras(one: PlannedExtra, plan: Plan, written: Mapping[str, WrittenFile], exact: bool) -> dict[str, Any]:
    """A file beside the images, and by how much the picture may differ that is put together from it (null: it cannot be)."""
    file = written[one.file]
    usual = {"largest": 0, "mean": 0} if exact else asdict(allowed(plan.recipe, plan.parts, plan.main.factor))
    reads = one.kind in ("layers", "model", "page", "openexr")
    if plan.is_deep and one.kind != "openexr":
        # They are made of what has 8 bits, and mixed after that has been rounded.
        usual = {name: max(most, usual[name]) for name, most in _OF_ROUNDED.items()}
    tolerance = usual if reads else _of_scene(plan, exact) if one.kind == "scene" else None
    if one.kind == "model" and any(row["blend"] != "normal" or row["opacity"] < 1 for row in _groups_of(plan)):
        # It has no place for them, which was told before: by how much that differs is measured all the same.
        tolerance = {"largest": 255, "mean": 255}
    said: dict[str, Any] = {
        "kind": one.kind,
        "file": one.file,
        "bytes": file.bytes,
        "sha256": file.sha256,
        "key": file.key or None,
    }
    if one.part is not None:
        said["part"] = one.part
    if one.kind == "flip-book":
        # Its first picture is the reference picture.
        tolerance = (
            {"largest": 0, "mean": 0} if plan.recipe.extras.flip_book != "gif" and plan.recipe.images.lossless else None
        )
        said["milliseconds"] = list(one.milliseconds)
    return {**said, "tolerance": tolerance}


def _groups_of(plan: Plan) -> list[dict[str, Any]]:
    """What mixes otherwise than by being laid over: groups, and the modes of parts."""
    found: list[dict[str, Any]] = [{"blend": one.part.blend, "opacity": 1} for one in plan.parts]

    def each(rows: Sequence[Row]) -> None:
        for row in rows:
            if isinstance(row, PartGroup):
                found.append({"blend": row.blend, "opacity": row.opacity})
                each(row.members)

    each(plan.tree)
    return found


def _sheet(sheet: PlannedSheet, plan: Plan, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    return {
        "kind": sheet.kind,
        "width": sheet.size.width,
        "height": sheet.size.height,
        "pictures": len(sheet.members),
        "columns": sheet.columns or None,
        "spacing": plan.recipe.sheets.spacing,
        "repeat_edge": plan.recipe.sheets.repeat_edge,
        "table": _plain_file(sheet.table, written) if sheet.table else None,
        "file": sheet.file,
        "bytes": written[sheet.file].bytes,
        "sha256": written[sheet.file].sha256,
        "key": written[sheet.file].key or None,
    }


def _other(at: PlannedScale, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    manifest = written[at.manifest]
    return {
        "scale": _plain(float(at.factor)),
        "manifest": at.manifest,
        "bytes": manifest.bytes,
        "sha256": manifest.sha256,
    }


def places_table(plan: Plan, at: PlannedScale) -> bytes:
    """The places at one scale as CSV (RFC 4180) in UTF-8, a line a part, back to front."""
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
    files = {row: image.file for row, image in at.images.items()}
    for planned in plan.parts:
        image, pivot = at.images[planned.part.id], _scaled(planned.part.pivot, at)
        box = image.box
        writer.writerow(
            [
                planned.order,
                cell("/".join(planned.path[:-1])),
                cell(planned.path[-1]),
                cell(image.file),
                *box.as_xywh(),
                *(_plain(value) for value in box.centre),
                "yes" if planned.shown else "no",
                _plain(planned.part.opacity),
                planned.part.blend,
                "yes" if image.turn and image.turn.mirrored else "no",
                image.turn.quarters if image.turn else 0,
                cell(files.get(plan.parents.get(planned.part.id, ""), "")),
                *(("", "") if pivot is None else (_plain(value) for value in pivot)),
                _plain(planned.part.depth * float(at.factor)),
                planned.part.role,
            ]
        )
    return out.getvalue().encode()


def files_of(value: Mapping[str, Any]) -> dict[str, WrittenFile | None]:
    """All files that a manifest of ours lists but itself, and the pictures on its sheets, by what tells them apart (`PlannedFrame.id`), with
    what it says of each; nothing of obsolete ones.
    """
    found: dict[str, WrittenFile | None] = dict.fromkeys(value["obsolete"])
    listed = [value[name] for name in ("reference", "table", "credits")] + list(value.get("beside", ()))
    for sheet in value.get("sheets", ()):
        listed += [sheet, *([sheet["table"]] if sheet["table"] else [])]
    for part in value["parts"]:
        listed += part["frames"]["images"] if part["frames"] else [part]
    for one in listed:
        content = one.get("content")
        box = None if content is None else Box(content[0], content[1], content[0] + content[2], content[1] + content[3])
        crc = one.get("pixels_crc32") or ""
        within, moment = one.get("within"), one.get("moment")
        spot = None if within is None else Spot(within["x"], within["y"])
        told = PlannedFrame(one["file"], "", spot, moment).id
        found[told] = WrittenFile(one["bytes"], one["sha256"], crc, one.get("key") or "", box)
    return found


def _scaled(point: Point | None, at: PlannedScale) -> Point | None:
    factor = float(at.factor)
    return None if point is None else Point(point.x * factor, point.y * factor)


def _plain(value: float) -> float | int:
    return int(value) if float(value).is_integer() else value


def _plain_file(name: str, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    return {"file": name, "bytes": written[name].bytes, "sha256": written[name].sha256}


def _file(written: WrittenFile) -> dict[str, Any]:
    said: dict[str, Any] = {
        "bytes": written.bytes,
        "sha256": written.sha256,
        "pixels_crc32": written.pixels_crc32 or None,
    }
    if written.key:
        said["key"] = written.key
    if written.content is not None:
        said["content"] = list(written.content.as_xywh())
    return said


def _xywh(box: Box) -> dict[str, int]:
    return {"x": box.left, "y": box.top, "width": box.width, "height": box.height}


def _part(planned: PlannedPart, plan: Plan, at: PlannedScale, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    part, canvas, image = planned.part, at.canvas, at.images[planned.part.id]
    box, factor = image.box, float(at.factor)
    parent = plan.parents.get(part.id)
    centre = box.centre
    turn = image.turn or Turn()
    pivot = _scaled(part.pivot, at)
    margins = (
        None
        if part.margins is None
        else {side: _plain(value * factor) for side, value in part.margins._asdict().items()}
    )
    return {
        "id": part.id,
        "name": planned.path[-1],
        "path": list(planned.path),
        "turn": {"mirrored": turn.mirrored, "quarters": turn.quarters},
        "order": planned.order,
        "shown": planned.shown,
        "box": _xywh(box),
        "trim": _xywh(_trim(image, turn, written)),
        "extent": planned.images.extent,
        "exact": planned.images.is_exact_for(len(part.frames)),
        "ground": list(planned.images.ground) if planned.images.format in OPAQUE else None,
        "beyond": box.meet(Box(0, 0, *canvas)) != box,
        "centre": {
            "y_down": [_plain(centre.x), _plain(centre.y)],
            "y_up": [_plain(centre.x), _plain(canvas.height - centre.y)],
        },
        "pivot": None if pivot is None else _pivot(pivot, box),
        "parent": parent,
        "depth": {
            "z": _plain(part.depth * factor),
            "scale": None if part.depth <= -plan.distance else _plain(1 + part.depth / plan.distance),
        },
        "fractions": {
            "canvas": _fractions(box, Box(0, 0, *canvas)),
            "parent": None if parent is None else _fractions(box, at.images[parent].box),
            "aspect": _plain(box.width / box.height),
        },
        "margins": margins,
        "anchor": None if part.anchor is None else [_plain(value) for value in part.anchor],
        "opacity": _plain(part.opacity),
        "blend": part.blend,
        "role": part.role,
        "frames": _frames(planned, image, at, written) if len(image.frames) > 1 else None,
        **_picture(image.frames[0], at, part.id, written),
    }


def _picture(frame: PlannedFrame, at: PlannedScale, part: str, written: Mapping[str, WrittenFile]) -> dict[str, Any]:
    """Which file a picture is in and where in it, and its check sums."""
    found: dict[str, Any] = {"file": frame.file}
    if frame.spot is not None:
        found["within"] = dict(within(at, part, frame.spot))
    if frame.moment is not None:
        found["moment"] = frame.moment
    return {**found, **_file(written[frame.id])}


def _trim(image: PlannedImage, turn: Turn, written: Mapping[str, WrittenFile]) -> Box:
    """Where the content of all frames lies on the canvas, once the image is turned and laid."""
    contents = [written[frame.id].content for frame in image.frames]
    around = box_around([content for content in contents if content is not None])
    box = image.box
    if around is None:
        return Box(box.left, box.top, box.left, box.top)
    size = box.size if turn.quarters % 2 == 0 else Size(box.height, box.width)
    left, top, right, bottom = around
    if turn.mirrored:
        left, right = size.width - right, size.width - left
    for _ in range(turn.quarters):
        left, top, right, bottom = size.height - bottom, left, size.height - top, right
        size = Size(size.height, size.width)
    return Box(left, top, right, bottom).moved(box.left, box.top)


def _fractions(box: Box, within: Box) -> dict[str, float | int]:
    return {name: _plain(value) for name, value in asdict(fractions(box, within)).items()}


def _frames(
    planned: PlannedPart, image: PlannedImage, at: PlannedScale, written: Mapping[str, WrittenFile]
) -> dict[str, Any]:
    pairs = zip(image.frames, planned.part.frames, strict=True)
    row = planned.part.id
    images = [{"milliseconds": moment.milliseconds, **_picture(frame, at, row, written)} for frame, moment in pairs]
    return {"loops": planned.part.loops, "images": images}


def _pivot(pivot: Point, box: Box) -> dict[str, list[float | int]]:
    inside = Point(pivot.x - box.left, pivot.y - box.top)
    return {
        "canvas": [_plain(pivot.x), _plain(pivot.y)],
        "box": [_plain(inside.x), _plain(inside.y)],
        "fraction": [_plain(inside.x / box.width), _plain(inside.y / box.height)],
    }


def node(row: Row) -> dict[str, Any]:
    """A row of the tree as the manifest has it."""
    if isinstance(row, PartGroup):
        return {
            "group": row.name,
            "shown": row.shown,
            "opacity": _plain(row.opacity),
            "blend": row.blend,
            "isolated": row.isolated,
            "alternates": row.alternate is not None,
            "looks": is_looks(row),
            "members": [node(member) for member in row.members],
        }
    return {"part": row.id, "shown": row.shown}
