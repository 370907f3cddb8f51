"""Where the joints of a figure could be, and what turns and what stays when a part does."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from yuplet.arrangement.commands import SetJoints
from yuplet.arrangement.tree import Arrangement, PartGroup
from yuplet.arrangement.tree_edits import carriers_of
from yuplet.derivation.content import Content
from yuplet.findings.doubles import Drawn
from yuplet.geometry import Box, Size
from yuplet.parts.part import Part
from yuplet.rig.parent_inference import Shape, proposed_carriers, small
from yuplet.rig.round_ends import Circle, Joint, joint_about, joint_between
from yuplet.rig.skeleton import carried_by
from yuplet.rig.swing import silhouette, surroundings

_GROUND = 0.9
"""The share of the canvas from which on a part is a ground, which carries nothing."""
DrawnOf = Callable[[Part], Drawn | None]
"""What is seen of a part at rest; None where it is empty."""


def propose(
    arrangement: Arrangement, canvas: Size, rows: Sequence[str], drawn_of: DrawnOf
) -> tuple[SetJoints, dict[str, Joint]]:
    """Parents and pivots for parts that have none, of `rows` or of all, and where the pivots come from; what is said already stays.

    Parts of a set of alternates get one pivot. What is left out or locked is passed over.
    """
    parts = {part.id: part for _, part in arrangement.parts()}
    wanted = [row for row in rows or parts if row in parts and not parts[row].locked and parts[row].included]
    carried = arrangement.parents()
    carriers: dict[str, str] = dict(carried)
    if any(row not in carried for row in wanted):
        told = _carriers(arrangement, canvas, drawn_of)
        for row in wanted:
            carrier = told.get(row)
            if row not in carried and carrier is not None and row not in (carrier, *carriers_of(carriers, carrier)):
                carriers[row] = carrier
    shared = _shared_pivots(arrangement)
    joints: dict[str, Joint] = {}
    pivots: dict[str, tuple[float, float] | None] = {}
    for row in wanted:
        if parts[row].pivot is not None:
            continue
        leader = shared.get(row, row)
        carrier = carriers.get(leader) or carriers.get(row)
        place = parts[leader].pivot
        if place is None and leader not in joints and carrier is not None:
            limb, body = drawn_of(parts[leader]), drawn_of(parts[carrier])
            if limb is not None and body is not None:
                # What hangs in the air turns about its own middle.
                apart = Joint(Circle(limb.box.centre, min(limb.box.size) / 2), False, 0)
                joints[leader] = joint_between(limb.content(), body.content()) or apart
        if place is None and leader in joints:
            place = joints[leader].circle.centre
        if place is not None:
            pivots[row] = (round(place.x, 2), round(place.y, 2))
    parents: dict[str, str | None] = {row: carriers[row] for row in wanted if row not in carried and row in carriers}
    return SetJoints(parents, pivots), joints


def _shared_pivots(arrangement: Arrangement) -> dict[str, str]:
    """The part that each part of a set of alternates shares its pivot with: the one that is shown."""
    found: dict[str, str] = {}
    for _, row in arrangement.walk():
        if isinstance(row, PartGroup) and row.shown_alternate is not None:
            members = [member.id for member in row.members if isinstance(member, Part)]
            if row.shown_alternate in members:
                found.update(dict.fromkeys(members, row.shown_alternate))
    return found


def _carriers(arrangement: Arrangement, canvas: Size, drawn_of: DrawnOf) -> dict[str, str]:
    seen = arrangement.visible_ids()
    rows, shapes = [], []
    for around, part in arrangement.parts():
        found = drawn_of(part) if part.included and part.role not in ("ground", "guide", "reference") else None
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


@dataclass(frozen=True, slots=True)
class Turning:
    """A part at its joint: the limb alone, and all that turns with it and all that stays, about the joint."""

    limb: Content
    joint: Circle
    moving: Content
    staying: Content


def turning_of(arrangement: Arrangement, part: Part, drawn: Mapping[str, Drawn]) -> Turning | None:
    """What turns and what stays when a part does; None where the part is empty or has no pivot.

    What stays is all that is seen at rest and laid as normal, of the parts that are `drawn`. A pivot that lies beside the part's art,
    where another part covers what the part could be grown by, turns as wide a joint as the part is where it is nearest. Raises
    `CannotTakeOut` when no opaque art of the part is near.
    """
    own = drawn.get(part.id)
    if own is None or part.pivot is None:
        return None
    limb = own.content()
    joint = joint_about(limb, part.pivot)
    around = surroundings(limb, joint)
    turning = carried_by(arrangement, part.id)
    seen = arrangement.visible_ids() | {part.id}
    near = {
        other.id: drawn[other.id]
        for _, other in arrangement.parts()
        if other.id in drawn
        and other.id in seen
        and (other.blend == "normal" or other.id == part.id)
        and not drawn[other.id].box.meet(around).is_empty
    }
    moving = silhouette([_cut(one, around) for row, one in near.items() if row in turning], around)
    staying = silhouette([_cut(one, around) for row, one in near.items() if row not in turning], around)
    return Turning(limb, joint, moving, staying)


def _cut(drawn: Drawn, box: Box) -> Content:
    common = drawn.box.meet(box)
    return Content(common, drawn.within(common)[0])
