"""Questions to the pixels of an illustration; nothing is changed. Each runs where it can be stopped (`jobs.apart`)."""

import base64
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

import cv2
import numpy as np

from yuplet.arrangement.commands import SetJoints, to_json
from yuplet.arrangement.naming.sides import series
from yuplet.arrangement.sets.looks import look_tables
from yuplet.arrangement.sets.required import required
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.arrangement.tree import PartGroup
from yuplet.derivation.cutting import MAX_PARTS
from yuplet.editing.art import Art, art_of, clicked_in, division_of, drawn_art
from yuplet.editing.completing import completions, turning_at
from yuplet.editing.drawing import drawn
from yuplet.editing.jointing import ProposeJoints
from yuplet.editing.looking_over import SMALLEST, away_from_original, found_in
from yuplet.errors import SelectionError
from yuplet.findings.finding import Finding
from yuplet.findings.order import look_over_order
from yuplet.framing.planes import covers
from yuplet.framing.screens import stretchable
from yuplet.geometry import Box, Point
from yuplet.parts.part import Margins, Part
from yuplet.pixels.trimming import label_boxes
from yuplet.rig.round_ends import Circle, Joint, joint_between, limb_at
from yuplet.rig.swing import gap_at, swing
from yuplet.selecting.gestures import Edge, Gesture, select
from yuplet.selecting.masks import Chosen, chosen_of, hard_mask
from yuplet.selecting.regions import islands, without_crumbs
from yuplet.writing import png
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.illustrations.layers import StoredLayers
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import read_of


def looked_at(illustration: Illustration) -> tuple[Tree, StoredLayers]:
    """The rows of an illustration as they are, and its layers."""
    return tree_of(Arrangement.objects.get(pk=illustration.pk)), StoredLayers(illustration.revision)


def _art(illustration: Illustration, row: str, frame: int | None = None) -> Art:
    tree, layers = looked_at(illustration)
    return art_of(tree, layers, row, frame)


def _drawn(illustration: Illustration, row: str, frame: int | None = None) -> tuple[Art, StoredLayers]:
    """What can be chosen of it, which is not what was filled in and is not seen; and the layers."""
    tree, layers = looked_at(illustration)
    return drawn_art(tree, layers, row, art_of(tree, layers, row, frame))[0], layers


def margins_of(illustration: Illustration, row: str) -> Margins | None:
    """How far from its edges a part could be kept from being stretched; None where nothing between them is alike. Raises as `selection` does."""
    return stretchable(_art(illustration, row).picture)


def selection(
    illustration: Illustration, row: str, gestures: Sequence[Gesture], edge: Edge, frame: int = 0
) -> dict[str, Any]:
    """What gestures choose of a frame of a part: how many pixels, in which box of the canvas, and a picture of the mask.

    Raises `SelectionError`, or `ArrangementError` when the part is not one that can be selected from.
    """
    art, layers = _drawn(illustration, row, frame)
    mask = select(art.picture, art.box, gestures, edge, lambda _: division_of(layers, art), clicked_in(layers, art))
    x, y, width, height = cv2.boundingRect(mask)
    box = Box(x, y, x + width, y + height)
    cut = mask[box.top : box.bottom, box.left : box.right]
    return {
        "pixels": np.count_nonzero(chosen_of(mask)),
        "box": box.moved(art.box.left, art.box.top).as_xywh(),
        "of": np.count_nonzero(art.picture[..., 3]),
        "mask": base64.b64encode(png.encode_mask(cut)).decode(),
    }


def islands_of(illustration: Illustration, row: str, gap: float, smallest: int) -> dict[str, Any]:
    """The separate pieces of a part as they would become parts, from the top left: a box and a mask each.

    `crumbs` is how many tiny ones belong to the nearest larger piece. Raises as `selection` does.
    """
    art, _ = _drawn(illustration, row)
    found = islands(art.picture, gap=gap, smallest=smallest)
    labels = without_crumbs(found)
    count = int(labels.max())
    if count > MAX_PARTS:
        raise SelectionError(
            f"There are {count} separate pieces. Choose a gap or a smallest size that leaves up to {MAX_PARTS}."
        )
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    pieces = []
    for number, box in enumerate(label_boxes(labels, count), 1):
        own = hard_mask(labels[box.top : box.bottom, box.left : box.right] == number)
        pieces.append(
            {
                "pixels": int(sizes[number]),
                "box": box.moved(art.box.left, art.box.top).as_xywh(),
                "mask": base64.b64encode(png.encode_mask(own)).decode(),
            }
        )
    return {"pieces": pieces, "crumbs": len(found.crumbs) if count < len(found.sizes) - 1 else 0}


def proposals_of(illustration: Illustration, row: str) -> dict[str, Any]:
    """The nested regions of a part: which finest region each pixel is of, and what those become when they are merged.

    Raises as `selection` does.
    """
    art, layers = _drawn(illustration, row)
    found = division_of(layers, art)
    picture = np.zeros((*found.labels.shape, 4), np.uint8)
    picture[..., 0], picture[..., 1] = found.labels & 255, found.labels >> 8
    picture[..., 3] = 255
    return {
        "box": art.box.as_xywh(),
        "count": found.count,
        "parents": list(found.parents),
        "labels": base64.b64encode(png.encode(picture, "quick")).decode(),
    }


def added_to(illustration: Illustration, row: str) -> dict[str, Any]:
    """What was filled in of a part, as `selection` tells what is chosen; nothing of it is no error."""
    art = _art(illustration, row)
    added = hard_mask(art.content.all_added)
    return {
        "pixels": int(art.content.all_added.sum()),
        "box": art.box.as_xywh(),
        "mask": base64.b64encode(png.encode_mask(added)).decode(),
    }


def remainder_of(illustration: Illustration, row: str) -> dict[str, Any]:
    """What is left of a part to be taken out of it, as `added_to` tells what was filled in. Raises as `selection` does."""
    art, _ = _drawn(illustration, row)
    there = hard_mask(art.picture[..., 3] > 0)
    return {
        "pixels": int((there > 0).sum()),
        "box": art.box.as_xywh(),
        "mask": base64.b64encode(png.encode_mask(there)).decode(),
    }


def limb_of(illustration: Illustration, row: str, x: float, y: float) -> Circle:
    """The circle about a place that is as wide as a part is there. Raises as `selection` does."""
    return limb_at(_art(illustration, row).content, Point(x, y))


def difference(illustration: Illustration) -> dict[str, Any]:
    """Where the parts that are included and shown, laid together, differ from what was brought in: how many pixels, by how much, and a mask."""
    tree, layers = looked_at(illustration)
    worst = away_from_original(tree, layers)
    mask = hard_mask(worst > 0)
    return {
        "pixels": worst.size,
        "differing": int((worst > 0).sum()),
        "largest": int(worst.max()),
        "mask": base64.b64encode(png.encode_mask(mask)).decode(),
    }


def findings_of(illustration: Illustration, smallest: int = SMALLEST, tolerance: int = 0) -> list[dict[str, Any]]:
    """Everything there is to find in an illustration, with a picture of where it is."""
    tree, layers = looked_at(illustration)
    return [_told_finding(one) for one in found_in(tree, layers, smallest, tolerance)]


def order_of(illustration: Illustration) -> dict[str, Any]:
    """What the rows say without a pixel: pairs and series, what must be there, looks, what the camera's way needs, and findings."""
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    tree, read = tree_of(arrangement), read_of(illustration.revision)
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
        "findings": [_told_finding(one) for one in look_over_order(tree, there, read.canvas)],
    }


def _told_finding(finding: Finding) -> dict[str, Any]:
    mask = None
    box = finding.box
    if finding.mask is not None and box is not None:
        rows, columns = np.flatnonzero(finding.mask.any(axis=1)), np.flatnonzero(finding.mask.any(axis=0))
        inner = Box(int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
        grey = hard_mask(finding.mask[inner.top : inner.bottom, inner.left : inner.right])
        mask, box = base64.b64encode(png.encode_mask(grey)).decode(), inner.moved(box.left, box.top)
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


def proposed_joints(illustration: Illustration, command: ProposeJoints) -> dict[str, Any]:
    """Parents and pivots as they would be set, and where the pivots come from."""
    return _told(*command.proposed(*looked_at(illustration)))


def joint_of(illustration: Illustration, row: str) -> dict[str, Any] | None:
    """Where a part could turn on its parent, whatever is said already; None where it has none or is not near it."""
    tree, layers = looked_at(illustration)
    part, carrier = _part(tree, row), tree.parents().get(row)
    if carrier is None:
        return None
    with drawn(tree, layers, {row, carrier}) as (frame_of, _):
        limb, body = frame_of(part, 0), frame_of(_part(tree, carrier), 0)
        joint = joint_between(limb.content(), body.content()) if limb is not None and body is not None else None
    return None if joint is None else _told_joint(row, joint)


def _part(tree: Tree, row: str) -> Part:
    _, part = tree.find(row)
    if isinstance(part, PartGroup):
        raise SelectionError(f"'{part.name}' is a group. Choose the part that turns.")
    return part


def _told(command: SetJoints, joints: dict[str, Joint]) -> dict[str, Any]:
    pivots = {row: None if at is None else [round(one, 2) for one in at] for row, at in command.pivots.items()}
    told = [_told_joint(row, joint) for row, joint in joints.items()]
    return {"parents": dict(command.parents), "pivots": pivots, "joints": told}


def _told_joint(row: str, joint: Joint) -> dict[str, Any]:
    circle = joint.circle
    return {
        "row": row,
        "at": [round(circle.centre.x, 2), round(circle.centre.y, 2)],
        "radius": circle.radius,
        "deviation": circle.deviation,
        "is_round": joint.is_round,
        "overlap": joint.overlap,
    }


def swing_of(illustration: Illustration, row: str, degrees: Sequence[float], at: float | None = None) -> dict[str, Any]:
    """What opens and juts out when a part and all that it carries turn about its pivot; the pixels at one angle, or at the worst.

    Raises `CannotTakeOut` where the part has no pivot on its art.
    """
    tree, layers = looked_at(illustration)
    part, turning = turning_at(tree, layers, row)
    assert part.pivot is not None
    limb, joint, moving, staying = turning.limb, turning.joint, turning.moving, turning.staying
    found = swing(limb, staying, joint, degrees, moving)
    shown = degrees[found.worst] if at is None else at
    gap = gap_at(limb, staying, joint, shown, moving)
    return {
        "degrees": list(found.degrees),
        "opened": [list(one) for one in found.opened],
        "jutting": [list(one) for one in found.jutting],
        "pivot": [part.pivot.x, part.pivot.y],
        "radius": joint.radius,
        "worst": found.degrees[found.worst],
        "at": shown,
        "box": gap.box.as_xywh(),
        "opened_mask": _mask(gap.opened),
        "jutting_mask": _mask(gap.jutting),
    }


def completions_of(illustration: Illustration, row: str, degrees: Sequence[float]) -> dict[str, Any]:
    """How many pixels open at a joint at the worst of some angles, and what lessens that, the best first. Raises as `swing_of`."""
    tree, layers = looked_at(illustration)
    now, found = completions(tree, layers, row, degrees)
    return {"opens": now, "mends": [{"command": to_json(one.command), "opens": one.opens} for one in found]}


def _mask(chosen: Chosen) -> str:
    return base64.b64encode(png.encode_mask(hard_mask(chosen))).decode()
