"""Looking the parts over, and mending what was found."""

import base64
import math
from collections.abc import Sequence
from dataclasses import asdict, replace
from typing import Any, Literal

import numpy as np
from django.db import transaction

from yuplet.arrangement.commands import ReplaceRows
from yuplet.arrangement.looks import look_tables
from yuplet.arrangement.planes import covers
from yuplet.arrangement.required import required
from yuplet.arrangement.sides import series
from yuplet.arrangement.taking import changed_parts, new_part, part_to_change, still_part
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.errors import CannotTakeOut
from yuplet.findings.doubles import turn_between
from yuplet.findings.finding import Finding
from yuplet.findings.findings import look_over, placed_as
from yuplet.findings.order import look_over_order
from yuplet.findings.specks import crumbs, pinholes
from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.made import Extension, Turned, Widened
from yuplet.illustration.records import from_record
from yuplet.parts.cutting import owners, take_out, without
from yuplet.parts.extending import extended
from yuplet.parts.joints import limb_at
from yuplet.parts.making import Content, Made
from yuplet.parts.part import Frame, Part, Piece, still
from yuplet.parts.turning import turned
from yuplet.parts.widening import widened
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.actions import begin, take_step
from yuplet_server.arrangement.changing import step_of
from yuplet_server.arrangement.drawing import drawn
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.illustrations.actions import keep_made
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import content_of

SMALLEST = 12
"""Pixels from which on a piece or a hole is meant, until somebody says otherwise."""
HARDLY = 2
"""Levels of 255 that make no difference to whether something is missing: rounding does not take more."""


def found_in(illustration: Illustration, smallest: int = SMALLEST, tolerance: int = 0) -> list[dict[str, Any]]:
    """Everything there is to find in an illustration, with a picture of where it is."""
    read = from_record(illustration.revision.record)
    tree = queries.tree_of(Arrangement.objects.get(pk=illustration.pk))
    return [told(one) for one in _looked_over(illustration, read, tree, smallest, tolerance)]


def _looked_over(
    illustration: Illustration, read: Read, tree: Tree, smallest: int, tolerance: int = 0
) -> list[Finding]:
    agreeing = queries.away_from_original(illustration) <= max(tolerance, HARDLY)
    with drawn(illustration, read, tree) as (frame_of, layer_of):
        return look_over(read, tree, frame_of, layer_of, agreeing, smallest, tolerance)


def order_of(illustration: Illustration) -> dict[str, Any]:
    """What the rows say without a pixel: pairs and series, what must be there, looks, what the camera's way needs, and findings."""
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    tree, read = queries.tree_of(arrangement), from_record(illustration.revision.record)
    there = tree.boxes(read)
    empty = frozenset(part.id for _, part in tree.parts()) - set(there)
    return {
        "version": arrangement.version,
        "series": [asdict(one) for one in series(tree)],
        "required": [asdict(one) for one in required(tree, empty)],
        "looks": [
            {
                "sets": [one.id for one in table.sets],
                "looks": [
                    {
                        "name": look.name,
                        "groups": [group.id for group in look.groups],
                        "shown": any(one.shown_alternate == group.id for one in table.sets for group in look.groups),
                    }
                    for look in table.looks
                ],
                "lines": [
                    {"path": list(line.path), "rows": [part.id if part is not None else None for part in line.parts]}
                    for line in table.lines
                ],
            }
            for table in look_tables(tree)
        ],
        "covers": [asdict(one) for one in covers(tree, there, read.canvas)],
        "findings": [told(one) for one in look_over_order(tree, there, read.canvas)],
    }


def told(finding: Finding) -> dict[str, Any]:
    mask = None
    box = finding.box
    if finding.mask is not None and box is not None:
        rows, columns = np.flatnonzero(finding.mask.any(axis=1)), np.flatnonzero(finding.mask.any(axis=0))
        inner = Box(int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
        grey = np.where(finding.mask[inner.top : inner.bottom, inner.left : inner.right], 255, 0).astype(np.uint8)
        mask, box = base64.b64encode(queries.stencil(grey)).decode(), inner.moved(box.left, box.top)
    return {
        "kind": finding.kind,
        "severity": finding.severity,
        "rows": list(finding.rows),
        "sentence": finding.sentence,
        "box": box.as_xywh() if box is not None else None,
        "mask": mask,
        "pixels": finding.pixels,
        "frame": finding.frame,
        "layer": finding.layer,
        "proposal": finding.proposal,
    }


@transaction.atomic
def mend(
    illustration_id: int,
    user: User,
    version: int,
    kind: str,
    rows: Sequence[str] = (),
    frames: Sequence[int] = (),
    layer: str = "",
    smallest: int = SMALLEST,
    tolerance: int = 0,
    cover_by: Literal["mirror", "repeat", "enlarge"] = "mirror",
) -> None:
    """Mend what was found, in one step.

    `kind` is that of the finding: crumbs are swept and pinholes filled in the `frames` of the first row, or in all of them; what is
    nowhere becomes a part of its own; the same drawings become one image; an overlay is laid as normal; a joint that opens is
    rounded off; a part that does not cover the camera's way goes on beyond the view, as `cover_by` says. Raises as `take_out` does.
    """
    begun = begin(illustration_id, user, version, {(row, "frames") for row in rows})
    illustration, before = begun.illustration, begun.before
    if kind in ("crumbs", "pinholes"):
        step = _without_specks(illustration, before, _only(rows), frames, kind, smallest)
    elif kind == "remainder":
        step = _as_a_part(illustration, before, layer, smallest)
    elif kind == "same-drawing":
        step = _as_one_image(illustration, before, rows, tolerance)
    elif kind == "cover":
        step = _wide_enough(illustration, before, _only(rows), cover_by)
    elif kind == "joint":
        step = _as_a_round_joint(illustration, before, _only(rows))
    elif kind == "overlay":
        part = part_to_change(before, _only(rows))
        step = changed_parts(before, [replace(part, blend="normal")], f"Lay '{part.name}' as normal")
    else:
        raise CannotTakeOut(f"There is nothing to mend of the kind '{kind}'.")
    take_step(begun.arrangement, user, step)


def _wide_enough(
    illustration: Illustration, before: Tree, row: str, how: Literal["mirror", "repeat", "enlarge"]
) -> ReplaceRows:
    part = still_part(before, row)
    read = from_record(illustration.revision.record)
    lacking = next((one for one in covers(before, before.boxes(read), read.canvas) if one.row == row), None)
    left, right = (math.ceil(side or 0) for side in (lacking.left, lacking.right)) if lacking else (0, 0)
    if not left and not right:
        raise CannotTakeOut(f"'{part.name}' covers the camera's way, or does not reach an edge of the view (any more).")
    art = queries.art_of(illustration, row)
    source = art.in_its_layer
    if how == "enlarge":
        # As far to either side, so that its middle stays.
        left = right = max(left, right)
    made = widened(source, Widened(how, left, right))
    kept = art.layer
    if kept is None and art.merged is not None:
        (kept,) = keep_made(illustration.revision, [(None, art.merged)])
    (layer,) = keep_made(illustration.revision, [(kept, made)])
    what = {"mirror": "Mirror", "repeat": "Repeat", "enlarge": "Enlarge"}[how]
    changed = replace(part, frames=still(layer), beyond=True)
    return changed_parts(before, [changed], f"{what} '{part.name}' beyond the view")


def _as_a_round_joint(illustration: Illustration, before: Tree, row: str) -> ReplaceRows:
    """Of a part and its parent, the one that lies behind is rounded off about the pivot beneath the other."""
    part = part_to_change(before, row)
    parent = before.parents().get(row)
    if parent is None or part.pivot is None:
        raise CannotTakeOut(f"'{part.name}' has no parent or no pivot (any more). Look again.")
    order = [one.id for _, one in before.parts()]
    behind = min(row, parent, key=order.index)
    radius = limb_at(queries.art_of(illustration, row).content, part.pivot).radius
    return step_of(illustration, before, behind, "round-off", at=tuple(part.pivot), radius=max(1.0, radius))


def _only(rows: Sequence[str]) -> str:
    if not rows:
        raise CannotTakeOut("No part was named. Choose one.")
    return rows[0]


def _without_specks(
    illustration: Illustration, before: Tree, row: str, frames: Sequence[int], kind: str, smallest: int
) -> ReplaceRows:
    part = part_to_change(before, row)
    read = from_record(illustration.revision.record)
    new: list[Frame] = []
    changed = 0
    for index, frame in enumerate(part.frames):
        made = None
        if not frames or index in frames:
            layer, content = _one_layer(illustration, read, frame.pieces)
            made = None if content is None else _cleaned(content, kind, smallest)
        if made is None:
            new.append(frame)
            continue
        changed += 1
        (kept,) = keep_made(illustration.revision, [(layer, made)])
        new.append(Frame((Piece(kept),), frame.milliseconds))
    if not changed:
        raise CannotTakeOut("There is nothing of the kind (any more), or nothing else would be left. Look again.")
    where = f"'{part.name}'" if len(part.frames) == 1 else f"{changed} of {len(part.frames)} frames of '{part.name}'"
    what = "Sweep crumbs out of" if kind == "crumbs" else "Fill pinholes of"
    return changed_parts(before, [replace(part, frames=tuple(new))], f"{what} {where}")


def _one_layer(illustration: Illustration, read: Read, pieces: Sequence[Piece]) -> tuple[str | None, Content | None]:
    """The layer that pieces are, and what it holds; of several a layer is made."""
    if len(pieces) == 1 and pieces[0].opacity == 1:
        return pieces[0].layer, content_of(illustration.revision, read, pieces[0].layer)
    made = queries.laid_together(illustration, read, pieces)
    if made is None:
        return None, None
    (layer,) = keep_made(illustration.revision, [(None, made)])
    return layer, made.content


def _cleaned(content: Content, kind: str, smallest: int) -> Made | None:
    if kind == "crumbs":
        swept = crumbs(content.picture, smallest)
        return without(content, swept) if swept.any() else None
    holes = pinholes(content.picture, smallest)
    if not holes.any():
        return None
    mask = np.where(holes, 255, 0).astype(np.uint8)
    return extended(content, mask, Extension("", content.box, "flat"))


def _as_a_part(illustration: Illustration, before: Tree, layer: str, smallest: int) -> ReplaceRows:
    read = from_record(illustration.revision.record)
    found = _looked_over(illustration, read, before, smallest)
    finding = next((one for one in found if one.kind == "remainder" and one.layer == layer), None)
    content = content_of(illustration.revision, read, layer)
    if finding is None or finding.mask is None or content is None:
        raise CannotTakeOut("All of this layer is in parts (by now). Look again.")
    mask = np.where(finding.mask, 255, 0).astype(np.uint8)
    taken = take_out(content, owners(content.picture, [mask]), None).taken[0]
    (made,) = keep_made(illustration.revision, [(layer, taken)])
    name = next(one.name for one in read.leaves() if one.id == layer)
    part = Part(made, f"rest of {name}", still(made))
    group, index = None, len(before.rows)
    for around, other in before.parts():
        if any(layer in read.roots_of(one) for one in other.layers):
            # In front of the part behind all others of the same art: nothing of theirs is hidden.
            group, index = (around[-1].id if around else None), before.place(other.id)[1] + 1
            break
    return new_part(before, part, group, index, f"Make a part of the rest of '{name}'")


def _as_one_image(illustration: Illustration, before: Tree, rows: Sequence[str], tolerance: int) -> ReplaceRows:
    read = from_record(illustration.revision.record)
    first, *others = (part_to_change(before, row) for row in rows)
    if not others or not all(part.is_one_layer and len(part.frames) == 1 for part in (first, *others)):
        raise CannotTakeOut("One image can be made of two or more parts without frames that are one layer each.")
    source = content_of(illustration.revision, read, first.pieces[0].layer)
    changed = []
    for part in others:
        own = content_of(illustration.revision, read, part.pieces[0].layer)
        turn = None if own is None or source is None else turn_between(source.picture, own.picture, tolerance)
        if own is None or source is None or turn is None:
            raise CannotTakeOut(f"'{part.name}' is not the same drawing as '{first.name}' (any more). Look again.")
        about, offset = placed_as(source.box, own.box.moved(*part.offset), turn)
        layer = first.pieces[0].layer
        if turn != (False, 0):
            (layer,) = keep_made(illustration.revision, [(layer, turned(source, Turned(turn, about)))])
        changed.append(replace(part, frames=still(layer), offset=offset))
    return changed_parts(before, changed, f"Let {len(rows)} parts be one image")
