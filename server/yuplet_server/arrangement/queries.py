"""Questions to the arrangement of an illustration."""

from typing import Any

from yuplet.arrangement.records import RowRecord, from_records
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.geometry import Box
from yuplet.illustration.records import from_record
from yuplet.parts.part import Part, part_box
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.illustrations.models import Illustration, LayerImage


def tree_of(arrangement: Arrangement) -> Tree:
    """The arrangement as the core's value, from one query."""
    return from_records([_record(row) for row in arrangement.rows.order_by("position")], arrangement.alone)


def undoable(arrangement: Arrangement, user: User) -> Step | None:
    """The last step of somebody that is not undone."""
    return arrangement.steps.filter(user=user, state=Step.State.DONE).order_by("-version").first()


def redoable(arrangement: Arrangement, user: User) -> Step | None:
    """The step that somebody undid last: steps are undone newest first, so it is the oldest undone one."""
    return arrangement.steps.filter(user=user, state=Step.State.UNDONE).order_by("version").first()


def seen(illustration: Illustration, user: User) -> dict[str, Any]:
    """All that a page shows of an arrangement: rows back to front with box and pictures, and what can be undone."""
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    images = {image.layer: image for image in LayerImage.objects.filter(illustration=illustration)}
    read = from_record(illustration.record)
    boxes = {layer.id: layer.box for layer in read.leaves() if layer.box is not None}
    undo, redo = undoable(arrangement, user), redoable(arrangement, user)
    return {
        "version": arrangement.version,
        "alone": arrangement.alone,
        "undo": undo.title if undo else None,
        "redo": redo.title if redo else None,
        "rows": [_row(row, images, boxes) for row in arrangement.rows.order_by("position")],
    }


def _row(row: Row, images: dict[str, LayerImage], boxes: dict[str, Box]) -> dict[str, Any]:
    image = images.get(row.pieces[0]) if row.pieces else None
    box = part_box(Part(row.row, row.name, tuple(row.pieces)), boxes)
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
        "image": image.pixels if image else None,
        "thumbnail": image.thumbnail if image else None,
    }


def _record(row: Row) -> RowRecord:
    pivot = None if row.pivot_x is None or row.pivot_y is None else (row.pivot_x, row.pivot_y)
    return RowRecord(
        row.row, row.kind, row.group, row.name, tuple(row.pieces), row.shown, row.included,
        row.opacity, row.blend, row.isolated, row.locked, pivot,
    )  # fmt: skip
