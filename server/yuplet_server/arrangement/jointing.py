"""Parents, pivots and swings: what could be said of the joints of a figure, and what comes of them when they turn."""

import base64
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from yuplet.arrangement.skeleton import carried_by, mirrored_joints
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.arrangement.tree import PartGroup
from yuplet.errors import CannotTakeOut, SelectionError
from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.records import from_record
from yuplet.parts.carrying import Shape, proposed_carriers, small
from yuplet.parts.joints import Circle, Joint, joint_between, limb_at
from yuplet.parts.making import Content
from yuplet.parts.part import Part, part_box
from yuplet.parts.swing import gap_at, silhouette, surroundings, swing
from yuplet.selecting.masks import Chosen
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.drawing import FrameOf, drawn
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.illustrations.models import Illustration

_GROUND = 0.9
"""The share of the canvas from which on a part is a ground, which carries nothing."""


@dataclass(frozen=True, slots=True)
class _Figure:
    read: Read
    tree: Tree

    @property
    def boxes(self) -> dict[str, Box]:
        boxes = {part.id: part_box(part, self.read.boxes, self.read.canvas) for _, part in self.tree.parts()}
        return {row: box for row, box in boxes.items() if box is not None}

    def seen(self) -> set[str]:
        """The parts that are seen at rest."""
        parts = self.tree.settled().parts()
        return {part.id for around, part in parts if part.shown and all(group.shown for group in around)}

    def shared_pivots(self) -> dict[str, str]:
        """The part that each part of a set of alternates shares its pivot with: the one that is shown."""
        found = {}
        for _, row in self.tree.walk():
            if isinstance(row, PartGroup) and row.shown_alternate is not None:
                members = [member.id for member in row.members if isinstance(member, Part)]
                if row.shown_alternate in members:
                    found.update(dict.fromkeys(members, row.shown_alternate))
        return found


def _figure(illustration: Illustration) -> _Figure:
    tree = queries.tree_of(Arrangement.objects.get(pk=illustration.pk))
    return _Figure(from_record(illustration.revision.record), tree)


def proposed(illustration: Illustration, rows: Sequence[str]) -> dict[str, Any]:
    """Parents and pivots for parts that have none, of `rows` or of all; what is there already stays.

    Parts of a set of alternates get one pivot. Nothing is changed.
    """
    figure = _figure(illustration)
    parts = {part.id: part for _, part in figure.tree.parts()}
    wanted = [row for row in rows or parts if row in parts and not parts[row].locked and parts[row].included]
    carried = figure.tree.parents()
    with drawn(illustration, figure.read, figure.tree, parts) as (frame_of, _):
        carriers = dict(carried)
        if any(row not in carried for row in wanted):
            told = _carriers(figure, frame_of)
            for row in wanted:
                if (
                    row not in carried
                    and (carrier := told.get(row)) is not None
                    and not _reaches(carriers, carrier, row)
                ):
                    carriers[row] = carrier
        shared = figure.shared_pivots()
        joints: dict[str, Joint] = {}
        for row in wanted:
            leader = shared.get(row, row)
            carrier = carriers.get(leader) or carriers.get(row)
            if parts[row].pivot is not None or carrier is None or leader in joints:
                continue
            limb, body = frame_of(parts[leader], 0), frame_of(parts[carrier], 0)
            if limb is None or body is None:
                continue
            # What hangs in the air turns about its own middle.
            apart = Joint(Circle(limb.box.centre, min(limb.box.size) / 2), False, 0)
            joints[leader] = joint_between(limb.content(), body.content()) or apart
    pivots = {}
    for row in wanted:
        leader = shared.get(row, row)
        known = parts[leader].pivot
        if parts[row].pivot is None and (known is not None or leader in joints):
            place = known or joints[leader].circle.centre
            pivots[row] = [round(place.x, 2), round(place.y, 2)]
    return {
        "parents": {row: carriers[row] for row in wanted if row not in carried and row in carriers},
        "pivots": pivots,
        "joints": [{"row": row, **_told(joint)} for row, joint in joints.items()],
    }


def joint_of(illustration: Illustration, row: str) -> dict[str, Any] | None:
    """Where a part could turn on its parent, whatever is said already; None where it has none or is not near it."""
    figure = _figure(illustration)
    carrier = figure.tree.parents().get(row)
    _, part = figure.tree.find(row)
    if carrier is None or isinstance(part, PartGroup):
        return None
    _, other = figure.tree.find(carrier)
    assert isinstance(other, Part)
    with drawn(illustration, figure.read, figure.tree, {row, carrier}) as (frame_of, _):
        limb, body = frame_of(part, 0), frame_of(other, 0)
        joint = joint_between(limb.content(), body.content()) if limb is not None and body is not None else None
    return None if joint is None else {"row": row, **_told(joint)}


def mirrored(illustration: Illustration, rows: Sequence[str]) -> dict[str, Any]:
    """The joints of the twins of parts, as they would be mirrored."""
    figure = _figure(illustration)
    found = mirrored_joints(figure.tree, rows, figure.boxes)
    pivots = {row: None if place is None else [round(at, 2) for at in place] for row, place in found.pivots.items()}
    return {"parents": dict(found.parents), "pivots": pivots, "joints": []}


def _told(joint: Joint) -> dict[str, Any]:
    circle = joint.circle
    return {
        "at": [round(circle.centre.x, 2), round(circle.centre.y, 2)],
        "radius": circle.radius,
        "deviation": circle.deviation,
        "is_round": joint.is_round,
        "overlap": joint.overlap,
    }


def _reaches(carriers: dict[str, str], start: str, row: str) -> bool:
    """Whether something is carried by a part, over as many others as there are."""
    at: str | None = start
    for _ in range(len(carriers) + 1):
        if at == row:
            return True
        at = carriers.get(at) if at is not None else None
    return False


def _carriers(figure: _Figure, frame_of: FrameOf) -> dict[str, str]:
    canvas = figure.read.canvas
    seen = figure.seen()
    rows, shapes = [], []
    for around, part in figure.tree.parts():
        found = frame_of(part, 0) if part.included and part.role not in ("ground", "guide", "reference") else None
        if found is None:
            continue
        alpha = np.ascontiguousarray(found.rows(0, found.box.height)[..., 3])
        if (alpha > 0).sum() > _GROUND * canvas.pixels:
            continue
        reduced, box = small(alpha, found.box, canvas)
        carries = part.id in seen and part.blend == "normal" and part.opacity == 1
        rows.append(part.id)
        shapes.append(Shape(box, reduced, tuple(group.id for group in around), carries, part.id in seen))
    told = proposed_carriers(shapes)
    return {row: rows[at] for row, at in zip(rows, told, strict=True) if at is not None}


def swing_of(illustration: Illustration, row: str, degrees: Sequence[float], at: float | None = None) -> dict[str, Any]:
    """What opens and juts out when a part and all that it carries turn about its pivot; the pixels at one angle, or at the worst.

    What stays is all that is seen at rest and laid as normal. Raises `CannotTakeOut` where the part has no pivot on its art.
    """
    figure = _figure(illustration)
    _, part = figure.tree.find(row)
    if isinstance(part, PartGroup):
        raise SelectionError(f"'{part.name}' is a group. Choose the part that turns.")
    if part.pivot is None:
        raise CannotTakeOut(f"'{part.name}' has no pivot. Set it first: key V, or let one be proposed.")
    turning = carried_by(figure.tree, row)
    seen = figure.seen() | {row}
    parts = {one.id: one for _, one in figure.tree.parts() if one.included and one.id in seen and one.blend == "normal"}
    with drawn(illustration, figure.read, figure.tree, parts.keys() | {row}) as (frame_of, _):
        limb = frame_of(part, 0)
        if limb is None:
            raise CannotTakeOut(f"'{part.name}' is empty, so nothing of it turns.")
        joint = limb_at(limb.content(), part.pivot)
        around = surroundings(joint)
        moving = _silhouette(frame_of, [parts[one] for one in turning & parts.keys()], None)
        staying = _silhouette(frame_of, [one for one in parts.values() if one.id not in turning], around)
    moving = moving or limb.content()
    found = swing(moving, staying or silhouette([], around), joint, degrees)
    shown = degrees[found.worst] if at is None else at
    gap = gap_at(moving, staying or silhouette([], around), joint, shown)
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
        "turning": sorted(turning),
    }


def _silhouette(frame_of: FrameOf, parts: Collection[Part], box: Box | None) -> Content | None:
    contents = [
        found.content()
        for part in parts
        if (found := frame_of(part, 0)) is not None and (box is None or not found.box.meet(box).is_empty)
    ]
    if not contents:
        return None
    if box is None:
        box = contents[0].box
        for one in contents[1:]:
            box = box.join(one.box)
    return silhouette(contents, box)


def _mask(chosen: Chosen) -> str:
    return base64.b64encode(queries.stencil(np.where(chosen, 255, 0).astype(np.uint8))).decode()
