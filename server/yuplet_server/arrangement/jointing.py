"""Parents, pivots and swings: what could be said of the joints of a figure, and what comes of them when they turn."""

import base64
from collections.abc import Sequence
from typing import Any

import numpy as np

from yuplet.arrangement.commands import SetJoints
from yuplet.arrangement.skeleton import mirrored_joints
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.arrangement.tree import PartGroup
from yuplet.errors import CannotTakeOut, SelectionError
from yuplet.findings.jointing import propose, turning_of
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.records import from_record
from yuplet.parts.joints import Joint, joint_between
from yuplet.parts.part import Part
from yuplet.parts.swing import gap_at, swing
from yuplet.selecting.masks import Chosen
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.drawing import drawn
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.illustrations.models import Illustration


def _figure(illustration: Illustration) -> tuple[Read, Tree]:
    tree = queries.tree_of(Arrangement.objects.get(pk=illustration.pk))
    return from_record(illustration.revision.record), tree


def _part(tree: Tree, row: str) -> Part:
    _, part = tree.find(row)
    if isinstance(part, PartGroup):
        raise SelectionError(f"'{part.name}' is a group. Choose the part that turns.")
    return part


def proposed(illustration: Illustration, rows: Sequence[str]) -> dict[str, Any]:
    """Parents and pivots for parts that have none, of `rows` or of all. Nothing is changed."""
    read, tree = _figure(illustration)
    with drawn(illustration, read, tree, {part.id for _, part in tree.parts()}) as (frame_of, _):
        command, joints = propose(tree, read.canvas, rows, lambda part: frame_of(part, 0))
    return _told(command, joints)


def joint_of(illustration: Illustration, row: str) -> dict[str, Any] | None:
    """Where a part could turn on its parent, whatever is said already; None where it has none or is not near it."""
    read, tree = _figure(illustration)
    part, carrier = _part(tree, row), tree.parents().get(row)
    if carrier is None:
        return None
    with drawn(illustration, read, tree, {row, carrier}) as (frame_of, _):
        limb, body = frame_of(part, 0), frame_of(_part(tree, carrier), 0)
        joint = joint_between(limb.content(), body.content()) if limb is not None and body is not None else None
    return None if joint is None else _told_joint(row, joint)


def mirrored(illustration: Illustration, rows: Sequence[str]) -> dict[str, Any]:
    """The joints of the twins of parts, as they would be mirrored."""
    read, tree = _figure(illustration)
    return _told(mirrored_joints(tree, rows, tree.boxes(read)), {})


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
    read, tree = _figure(illustration)
    part = _part(tree, row)
    if part.pivot is None:
        raise CannotTakeOut(f"'{part.name}' has no pivot. Set it first: key V, or let one be proposed.")
    seen = tree.seen() | {row}
    near = [one for _, one in tree.parts() if one.id == row or (one.included and one.id in seen)]
    with drawn(illustration, read, tree, {one.id for one in near}) as (frame_of, _):
        there = {one.id: drawing for one in near if (drawing := frame_of(one, 0)) is not None}
        turning = turning_of(tree, part, there)
    if turning is None:
        raise CannotTakeOut(f"'{part.name}' is empty, so nothing of it turns.")
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


def _mask(chosen: Chosen) -> str:
    return base64.b64encode(queries.stencil(np.where(chosen, 255, 0).astype(np.uint8))).decode()
