"""Taking art out of parts: the core says what becomes of the pixels, layers that are made of others keep it."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db import transaction

from yuplet.arrangement.taking import (
    check_behind,
    part_to_change,
    parts_taken_out,
)
from yuplet.errors import CannotTakeOut, NothingChosen, NothingThere
from yuplet.illustration.made import Behind
from yuplet.parts.cutting import owners
from yuplet.parts.cutting import take_out as core_take_out
from yuplet.parts.making import Made
from yuplet.parts.part import Frame, Part, Piece
from yuplet.selecting.gestures import HARD, Edge, Gesture, select
from yuplet.selecting.masks import Mask
from yuplet.selecting.regions import islands, rearranged, without_crumbs
from yuplet_server.accounts.models import User
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.actions import begin, take_step
from yuplet_server.illustrations.actions import keep_made
from yuplet_server.illustrations.models import Illustration
from yuplet_server.project.errors import NotNow


@dataclass(frozen=True, slots=True)
class Wish:
    """A part that is to be taken out: the name wished for, the gestures that choose its art, and its edge."""

    name: str
    gestures: tuple[Gesture, ...]
    edge: Edge = HARD


@dataclass(frozen=True, slots=True)
class Separated:
    """Every separate piece of a part, or every region that is proposed when it is divided into so many.

    Each becomes a part, named by the part's own name and a number, but for those that are `joined` or `left_out`, by their
    numbers as `queries.islands_of` tells them.
    """

    gap: float = 0.0
    smallest: int = 1
    regions: int | None = None
    joined: Sequence[Sequence[int]] = ()
    left_out: Sequence[int] = ()


@transaction.atomic
def take_out(
    illustration_id: int,
    user: User,
    version: int,
    row: str,
    wanted: Sequence[Wish] | Separated,
    behind: Behind,
    is_copy: bool = False,
) -> list[str]:
    """Take art out of a part: new parts directly in front of what is left of it, in one step. Answers their rows.

    Raises `ChangedMeanwhile` when somebody else changed the part after `version`, `SelectionError` when the art cannot be
    taken out, and `ArrangementError`.
    """
    begun = begin(illustration_id, user, version, {(row, "frames"), (row, "offset")})
    illustration, before = begun.illustration, begun.before
    part = part_to_change(before, row)
    check_behind(before, row, behind is not None)
    if isinstance(wanted, Separated):
        if len(part.frames) > 1:
            raise CannotTakeOut(f"'{part.name}' has frames. Read them as parts first, and take all pieces of each.")
        cuts = [_all_pieces(illustration, part, wanted, behind)]
    else:
        cuts = [_chosen(illustration, part, index, wanted, behind) for index in range(len(part.frames))]
    count = max(len(cut.taken) for cut in cuts)
    wished = [f"{part.name} {number + 1}" for number in range(count)]
    if not isinstance(wanted, Separated):
        wished = [wish.name for wish in wanted]
    if not wished:
        raise CannotTakeOut("The selection holds no art of this part. Choose some of it.")
    taken: list[list[Frame]] = [[] for _ in wished]
    left: list[Frame] = []
    for frame, cut in zip(part.frames, cuts, strict=True):
        made = [one for one in cut.taken if one is not None]
        layer = layer_of(illustration, cut.art) if made and cut.art else None
        if cut.left is not None and made and not is_copy:
            made.append(cut.left)
        ids = iter(keep_made(illustration.revision, [(layer, one) for one in made]))
        for frames, own in zip(taken, cut.taken or [None] * len(wished), strict=True):
            frames.append(Frame((Piece(next(ids)),) if own is not None else (), frame.milliseconds))
        rest = next(ids, None)
        left.append(frame if layer is None else Frame((Piece(rest),) if rest else (), frame.milliseconds))
    for number, (frames, name) in enumerate(zip(taken, wished, strict=True), 1):
        if not any(frame.pieces for frame in frames):
            which = "The selection" if len(wished) == 1 else f"Number {number} of the selections ('{name}')"
            raise CannotTakeOut(f"{which} holds no art of this part. Choose some of it.")
    is_all = not any(frame.pieces for frame in left)
    if is_all and len(wished) == 1 and not is_copy:
        raise CannotTakeOut("This is all of the part, so nothing would be left of it. Rename the part instead.")
    named = [(tuple(frames), name) for frames, name in zip(taken, wished, strict=True)]
    step = parts_taken_out(before, row, None if is_all else tuple(left), named, is_copy)
    take_step(begun.arrangement, user, step)
    return [one.record.id for one in step.put if one.index is not None]


@dataclass(frozen=True, slots=True)
class _Cut:
    """What is taken of one frame (None: nothing of that part), and what is left of it; no art where nothing is chosen."""

    art: queries.Art | None
    taken: Sequence[Made | None]
    left: Made | None


def _all_pieces(illustration: Illustration, part: Part, wanted: Separated, behind: Behind) -> _Cut:
    art = queries.art_of(illustration, part.id)
    if wanted.regions is not None:
        owner = art.divide(art.picture).parts_at(wanted.regions)
    else:
        owner = without_crumbs(islands(art.picture, gap=wanted.gap, smallest=wanted.smallest))
    count = int(owner.max())
    owner = rearranged(owner, wanted.joined, wanted.left_out)
    if count < 2 or not owner.any():
        raise CannotTakeOut(
            f"'{part.name}' is one piece, or all of it is left out. Choose a smaller gap, or take art out of it by hand."
        )
    found = core_take_out(art.in_its_layer, owner, behind)
    return _Cut(art, found.taken, found.left)


def _chosen(illustration: Illustration, part: Part, index: int, wanted: Sequence[Wish], behind: Behind) -> _Cut:
    """What wishes choose of one frame. In a frame of many nothing may be chosen."""
    try:
        art = queries.art_of(illustration, part.id, index)
    except NotNow:
        if len(part.frames) == 1:
            raise
        return _Cut(None, [], None)
    masks: list[Mask] = []
    for wish in wanted:
        try:
            masks.append(select(art.picture, art.box, wish.gestures, wish.edge, art.divide))
        except (NothingThere, NothingChosen):
            if len(part.frames) == 1:
                raise
            masks.append(np.zeros(art.picture.shape[:2], np.uint8))
    owner = owners(art.picture, masks)
    there = [number for number in range(1, len(masks) + 1) if (owner == number).any()]
    if not there:
        return _Cut(None, [], None)
    anew = np.zeros(len(masks) + 1, np.int32)
    anew[there] = np.arange(1, len(there) + 1)
    found = core_take_out(art.in_its_layer, anew[owner], behind, masks[0] if len(masks) == 1 else None)
    own = iter(found.taken)
    return _Cut(art, [next(own) if number in there else None for number in range(1, len(masks) + 1)], found.left)


def layer_of(illustration: Illustration, art: queries.Art) -> str:
    """The layer that a part is; one of several becomes a layer of its own."""
    if art.layer is not None:
        return art.layer
    assert art.merged is not None
    (layer,) = keep_made(illustration.revision, [(None, art.merged)])
    return layer
