"""Keeping things on a shelf, and using them elsewhere."""

import uuid
from typing import Any

from yuplet.arrangement.commands import Command, Decide
from yuplet.arrangement.templates import Template, fit, fitted_joints, template_of
from yuplet.editing.adding import PastePicture
from yuplet.editing.art import art_of
from yuplet.errors import ArrangementError
from yuplet.parts.part import Part
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.actions import perform
from yuplet_server.arrangement.pixel_queries import looked_at
from yuplet_server.illustrations.layers import HANDED_IN, keep_picture
from yuplet_server.illustrations.models import Illustration
from yuplet_server.shelf import queries
from yuplet_server.shelf.models import Kept

MOST = 500
"""Things on one shelf."""


def require_room(user: User) -> None:
    """Raise `ArrangementError` where the shelf is full."""
    if Kept.objects.filter(user=user).count() >= MOST:
        raise ArrangementError(f"The shelf holds {MOST} things already. Take some off first.")


def keep(user: User, illustration: Illustration, kind: str, name: str, row: str = "") -> Kept:
    """Keep a part, the places of a figure, or its list of what must be there. Raises `ArrangementError` or `SelectionError`."""
    require_room(user)
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
    tree, layers = looked_at(illustration)
    art = art_of(tree, layers, row)
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


def use(
    illustration_id: int, user: User, version: int, kept: Kept, row: str | None = None, key: uuid.UUID | None = None
) -> list[str]:
    """Use what is kept, in one step: a part lies in the middle of a row, in front of it, or of the canvas. Return the rows that are new."""
    command: Command
    if kept.kind == Kept.Kind.PART:
        pivot = None if kept.value["pivot"] is None else tuple(kept.value["pivot"])
        command = PastePicture(HANDED_IN, kept.name, row, pivot=pivot, role=kept.value["role"], origin="shelf")
        return perform(illustration_id, user, version, command, key, {HANDED_IN: kept.picture})
    if kept.kind == Kept.Kind.MOTION:
        raise ArrangementError("A motion is laid on a package: open Try out, Move.")
    if kept.kind == Kept.Kind.LIST:
        command = Decide({"required": kept.value["required"]})
    else:
        template = Template.from_json(kept.value["places"])
        illustration = Illustration.objects.select_related("current").get(pk=illustration_id)
        tree, boxes = queries.figure_of(illustration)
        command = fitted_joints(template, fit(template, tree, boxes), boxes)
        if not command.touched:
            raise ArrangementError("No part is at a place of the template that has a pivot or a parent.")
    return perform(illustration_id, user, version, command, key)
