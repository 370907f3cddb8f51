"""Keeping things on a shelf, and using them elsewhere."""

from typing import Any

from django.db import transaction

from yuplet.arrangement.commands import Decide, touched
from yuplet.arrangement.templates import Template, fit, fitted_joints, template_of
from yuplet.errors import ArrangementError
from yuplet.parts.part import Part
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries as arrangements
from yuplet_server.arrangement.actions import begin, take_step
from yuplet_server.arrangement.adding import paste
from yuplet_server.illustrations.actions import keep_picture
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import decoded
from yuplet_server.shelf import queries
from yuplet_server.shelf.models import Kept

MOST = 500
"""Things on one shelf."""


def keep(user: User, illustration: Illustration, kind: str, name: str, row: str = "") -> Kept:
    """Keep a part, the places of a figure, or its list of what must be there. Raises `ArrangementError` or `SelectionError`."""
    if Kept.objects.filter(user=user).count() >= MOST:
        raise ArrangementError(f"The shelf holds {MOST} things already. Take some off first.")
    if kind == Kept.Kind.PART:
        return _keep_part(user, illustration, name, row)
    tree, boxes = queries.figure_of(illustration)
    value: dict[str, Any]
    if kind == Kept.Kind.TEMPLATE:
        value = {"places": template_of(tree, boxes).as_json()}
        if not value["places"]:
            raise ArrangementError("No part is included and has a place, so there is no template to keep.")
    else:
        value = {"required": list(tree.decisions.required)}
        if not value["required"]:
            raise ArrangementError("The list is empty. Write down what must be there first.")
    return Kept.objects.create(user=user, kind=kind, name=name, value=value)


def _keep_part(user: User, illustration: Illustration, name: str, row: str) -> Kept:
    art = arrangements.art_of(illustration, row)
    tree, _ = queries.figure_of(illustration)
    _, part = tree.find(row)
    assert isinstance(part, Part)
    pivot = None
    if part.pivot is not None:
        pivot = [(part.pivot.x - art.box.left) / art.box.width, (part.pivot.y - art.box.top) / art.box.height]
    pixels, thumbnail = keep_picture(art.picture)
    value = {"pivot": pivot, "role": part.role, "credit": illustration.credit}
    return Kept.objects.create(
        user=user, kind=Kept.Kind.PART, name=name or part.name, value=value, picture=pixels, thumbnail=thumbnail
    )


@transaction.atomic
def use(illustration_id: int, user: User, version: int, kept: Kept, row: str | None = None) -> str | None:
    """Use what is kept, in one step: a part lies in the middle of a row, in front of it, or of the canvas. Answers its row."""
    if kept.kind == Kept.Kind.PART:
        picture = decoded(kept.picture)
        pivot, role = kept.value["pivot"], kept.value["role"]
        begun = begin(illustration_id, user, version)
        return paste(begun, user, picture, kept.name, row, f"Take '{kept.name}' from the shelf", pivot, role)
    if kept.kind == Kept.Kind.LIST:
        command = Decide({"required": kept.value["required"]})
        take_step(begin(illustration_id, user, version, touched(command)).arrangement, user, command)
        return None
    begun = begin(illustration_id, user, version)
    template = Template.from_json(kept.value["places"])
    _, boxes = queries.figure_of(begun.illustration)
    joints = fitted_joints(template, fit(template, begun.before, boxes), boxes)
    if not joints.parents and not joints.pivots:
        raise ArrangementError("No part is at a place of the template that has a pivot or a parent.")
    take_step(begun.arrangement, user, joints)
    return None
