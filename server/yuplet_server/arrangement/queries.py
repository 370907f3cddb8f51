"""Questions to the arrangement of an illustration."""

from typing import Any

from yuplet.arrangement.records import RowRecord, frames_from_json, from_records
from yuplet.arrangement.records import from_record as from_row_record
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Layer
from yuplet.illustration.matching import match_layers
from yuplet.illustration.records import from_record
from yuplet.parts.part import Part, part_box
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.illustrations.models import Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import looks_of

FLAGS = ("provisional name", "proposed place")
"""Notes of what was read that an artist should look at."""


def tree_of(arrangement: Arrangement) -> Tree:
    """The arrangement as the core's value, from one query."""
    return from_records([record_of(row) for row in arrangement.rows.order_by("position")], arrangement.alone)


def undoable(arrangement: Arrangement, user: User) -> Step | None:
    """The last step of somebody that is not undone."""
    return arrangement.steps.filter(user=user, state=Step.State.DONE).order_by("-version").first()


def redoable(arrangement: Arrangement, user: User) -> Step | None:
    """The step that somebody undid last: steps are undone newest first, so it is the oldest undone one."""
    return arrangement.steps.filter(user=user, state=Step.State.UNDONE).order_by("version").first()


def seen(illustration: Illustration, user: User) -> dict[str, Any]:
    """All that a page shows of an arrangement: rows back to front with boxes and pictures, and what can be undone."""
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    images = {image.layer: image for image in LayerImage.objects.filter(revision=illustration.current)}
    read = from_record(illustration.revision.record)
    boxes = {layer.id: layer.box for layer in read.leaves() if layer.box is not None}
    vector = {layer.id for layer in read.leaves() if layer.kind == "vector"}
    notes = illustration.revision.report["notes"]
    flagged = {note["layer"] for note in notes if note["kind"] in FLAGS and note.get("layer")}
    undo, redo = undoable(arrangement, user), redoable(arrangement, user)
    rows = list(arrangement.rows.order_by("position"))
    return {
        "version": arrangement.version,
        # A row that is shown alone may be gone: read as frames, or of another revision.
        "alone": arrangement.alone if arrangement.alone in {row.row for row in rows} else None,
        "undo": undo.title if undo else None,
        "redo": redo.title if redo else None,
        "revision": illustration.revision.number,
        "rows": [_row(row, images, boxes, read.canvas, vector, flagged) for row in rows],
    }


def review(illustration: Illustration, revision: Revision) -> dict[str, Any]:
    """Every layer of a revision beside the current one's, as they are proposed to be paired."""
    now = illustration.revision
    before, after = (side_of(one) for one in (now, revision))
    parts = [part for _, part in tree_of(Arrangement.objects.get(pk=illustration.pk)).parts()]
    return {
        "number": revision.number,
        "width": revision.width,
        "height": revision.height,
        "picture": revision.picture,
        "matches": [
            {
                "old": before.get(match.old),
                "new": after.get(match.new),
                "changes": match.changes,
                "dx": match.dx,
                "dy": match.dy,
                "parts": {part.id: part.name for part in parts if match.old in part.layers},
            }
            for match in match_layers(looks_of(now), looks_of(revision))
        ],
    }


def side_of(revision: Revision) -> dict[str | None, dict[str, Any]]:
    """The layers of a revision as a review shows them, by id."""
    images = {image.layer: image for image in revision.images.all()}
    found: dict[str | None, dict[str, Any]] = {}
    for path, node in from_record(revision.record).walk():
        image = images.get(node.id)
        if isinstance(node, Layer):
            found[node.id] = {
                "id": node.id,
                "path": list(path),
                "box": node.box.as_xywh() if node.box is not None else None,
                "image": image.pixels if image else None,
                "thumbnail": image.thumbnail if image else None,
            }
    return found


def _row(
    row: Row, images: dict[str, LayerImage], boxes: dict[str, Box], canvas: Size, vector: set[str], flagged: set[str]
) -> dict[str, Any]:
    part = _part(row)
    box = part_box(part, boxes, canvas) if part is not None else None
    thumbnails = [images[piece.layer].thumbnail for piece in part.pieces if piece.layer in images] if part else []
    return {
        "id": row.row,
        "kind": row.kind,
        "group": row.group,
        "name": row.name,
        "shown": row.shown,
        "included": row.included,
        "opacity": row.opacity,
        "blend": row.blend,
        "isolated": row.isolated,
        "locked": row.locked,
        "box": box.as_xywh() if box is not None else None,
        "offset": [row.offset_x, row.offset_y],
        "vector": part is not None and bool(part.layers & vector),
        "flagged": bool(({row.row} if part is None else part.layers) & flagged),
        "thumbnail": thumbnails[0] if thumbnails else None,
        "loops": row.loops,
        "frames": [
            {
                "milliseconds": frame.milliseconds,
                "pieces": [
                    {
                        "layer": piece.layer,
                        "image": images[piece.layer].pixels,
                        "vector": piece.layer in vector,
                        "box": boxes[piece.layer].moved(*part.offset).as_xywh(),
                        "opacity": piece.opacity,
                        "blend": piece.blend,
                    }
                    for piece in frame.pieces
                    if piece.layer in images
                ],
            }
            for frame in part.frames
        ]
        if part is not None
        else [],
    }


def _part(row: Row) -> Part | None:
    made = from_row_record(record_of(row))
    return made if isinstance(made, Part) else None


def record_of(row: Row) -> RowRecord:
    """A row as the core's value."""
    pivot = None if row.pivot_x is None or row.pivot_y is None else (row.pivot_x, row.pivot_y)
    return RowRecord(
        row.row, row.kind, row.group, row.name, row.shown, row.opacity, row.blend, row.isolated, row.included, row.locked,
        pivot, frames_from_json(row.frames), (row.offset_x, row.offset_y), row.loops,
    )  # fmt: skip
