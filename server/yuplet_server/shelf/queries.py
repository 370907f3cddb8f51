"""Questions to a shelf."""

from typing import Any

from django.http import Http404

from yuplet.arrangement.templates import Template, fit
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.geometry import Box
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.arrangement.queries import tree_of
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.queries import read_of
from yuplet_server.shelf.models import Kept


def kept_of(user: User, kept: int, kind: str | None = None) -> Kept:
    """Something of somebody's own shelf; 404 for anything else."""
    found = Kept.objects.filter(user=user, pk=kept, **({} if kind is None else {"kind": kind})).first()
    if found is None:
        raise Http404
    return found


def figure_of(illustration: Illustration) -> tuple[Tree, dict[str, Box]]:
    """The rows of an illustration, and the boxes of its parts that are not empty."""
    tree, read = tree_of(Arrangement.objects.get(pk=illustration.pk)), read_of(illustration.revision)
    return tree, tree.boxes(read)


def fitted(illustration: Illustration, kept: Kept) -> dict[str, Any]:
    """Which parts of a figure are at the places of a template, and what is left on both sides."""
    template = Template.from_json(kept.value["places"])
    tree, boxes = figure_of(illustration)
    found = fit(template, tree, boxes)
    names = {part.id: part.name for _, part in tree.parts()}
    return {
        "pairs": [
            {"place": " / ".join(template.places[index].path), "row": row, "name": names[row], "found_by": how}
            for index, row, how in found.pairs
        ],
        "places_left": [" / ".join(template.places[index].path) for index in found.places_left],
        "parts_left": [names[row] for row in found.parts_left],
    }
