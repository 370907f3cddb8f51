"""Taking art out of parts."""

from collections.abc import Sequence
from dataclasses import KW_ONLY, field
from dataclasses import dataclass as plain_dataclass
from typing import Annotated, Literal, TypeAlias

import numpy as np
from pydantic import Field, StrictBool, StrictInt
from pydantic.dataclasses import dataclass

from yuplet.arrangement.commands import Command, ReplaceRows
from yuplet.arrangement.commands.base import CONFIG, RowId
from yuplet.arrangement.taking import check_behind, part_to_change, parts_taken_out
from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.content import Content, Derived, placed_mask, placed_picture
from yuplet.derivation.cutting import cut_out, label_map
from yuplet.derivation.extending import refilled
from yuplet.derivation.layer_store import LayerStore
from yuplet.editing.art import Art, art_of, art_of_frame, clicked_in, division_of, drawn_art
from yuplet.editing.edit import OfPart
from yuplet.errors import CannotTakeOut, NothingChosen, NothingThere
from yuplet.parts.part import Frame, Part, Piece
from yuplet.selecting.gestures import HARD, Edge, Gestures, select
from yuplet.selecting.masks import Chosen, Mask
from yuplet.selecting.proposals import MAX_REGIONS
from yuplet.selecting.regions import islands, rearranged, without_crumbs

Channel: TypeAlias = Annotated[int, Field(strict=True, ge=0, le=255)]
Colour: TypeAlias = tuple[Channel, Channel, Channel]
Behind: TypeAlias = Literal["flat", "painted"] | Colour | None


@dataclass(frozen=True, slots=True, config=CONFIG)
class Wish:
    """A part that is to be taken out: the name wished for, the gestures that choose its art, and its edge."""

    name: Annotated[str, Field(strict=True, max_length=255)]
    gestures: Gestures
    edge: Edge = HARD


class _Taking(OfPart):
    """What both ways of taking out have in common."""

    __slots__ = ()
    behind: Behind
    copy: bool

    def _source(self, art: Art, drawn: Art) -> Art:
        """What is cut: where nothing is filled in, what was filled in before stays."""
        return art if self.behind is None else drawn

    def _rest(self, layers: LayerStore, layer: str, cut: "_Cut") -> tuple[Piece, ...]:
        """What is left of a layer, what was filled in before filled anew."""
        if cut.left is None:
            return ()
        left = layers.add(layer, cut.left)
        if cut.hidden is None or cut.art is None or self.behind is None:
            return (Piece(left),)
        place = cut.art.in_its_layer.box
        whole = cut.left.box.join(place)
        content = Content(
            whole, placed_picture(cut.left.content, whole), placed_mask(cut.left.content.all_added, cut.left.box, whole)
        )
        again = refilled(content, placed_mask(cut.hidden, place, whole), self.behind)
        return (Piece(left if again is None else layers.add(left, again)),)

    def _step(
        self, before: Arrangement, layers: LayerStore, part: Part, cuts: "Sequence[_Cut]", wished: Sequence[str]
    ) -> ReplaceRows:
        """New parts in front of what is left of a part, of the cuts of each of its frames."""
        taken: list[list[Frame]] = [[] for _ in wished]
        left: list[Frame] = []
        for frame, cut in zip(part.frames, cuts, strict=True):
            is_any = any(one is not None for one in cut.taken)
            layer = cut.art.layer_in(layers) if is_any and cut.art else None
            for frames, made in zip(taken, cut.taken or [None] * len(wished), strict=True):
                pieces = (Piece(layers.add(layer, made)),) if made is not None else ()
                frames.append(Frame(pieces, frame.milliseconds))
            if layer is None:
                left.append(frame)
            else:
                rest = self._rest(layers, layer, cut) if not self.copy else ()
                left.append(Frame(rest, frame.milliseconds))
        for number, (frames, name) in enumerate(zip(taken, wished, strict=True), 1):
            if not any(frame.pieces for frame in frames):
                which = "The selection" if len(wished) == 1 else f"Number {number} of the selections ('{name}')"
                raise CannotTakeOut(f"{which} holds no art of this part. Choose some of it.")
        is_all = not any(frame.pieces for frame in left)
        if is_all and len(wished) == 1 and not self.copy:
            raise CannotTakeOut("This is all of the part, so nothing would be left of it. Rename the part instead.")
        named = [(tuple(frames), name) for frames, name in zip(taken, wished, strict=True)]
        return parts_taken_out(before, part.id, None if is_all else tuple(left), named, self.copy)


@plain_dataclass(frozen=True, slots=True)
class _Cut:
    """What is taken of one frame (None: nothing of that part), and what is left of it; no art where nothing is chosen. `hidden` is what was filled in
    before and is not seen, which goes to nobody."""

    art: Art | None
    taken: Sequence[Derived | None]
    left: Derived | None
    hidden: Chosen | None = None


@dataclass(frozen=True, slots=True, config=CONFIG)
class TakeOut(_Taking):
    """Take art out of a part: new parts directly in front of what is left of it.

    `behind` is how the place is filled: by the nearest colours ('flat'), by colours that run on ('painted'), in one colour, or not at
    all (None). With `copy` the art stays in the part as well.
    """

    row: RowId
    parts: Annotated[tuple[Wish, ...], Field(min_length=1)]
    behind: Behind = None
    copy: StrictBool = False
    do: Literal["take-out"] = field(default="take-out", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part = part_to_change(before, self.row)
        check_behind(before, self.row, self.behind is not None)
        cuts = [self._chosen(before, layers, part, frame) for frame in part.frames]
        return self._step(before, layers, part, cuts, [wish.name for wish in self.parts])

    def _chosen(self, before: Arrangement, layers: LayerStore, part: Part, frame: Frame) -> _Cut:
        """What the wishes choose of one frame. In a frame of many nothing may be chosen."""
        art = art_of_frame(layers, part, frame)
        if art is None:
            if len(part.frames) == 1:
                raise NothingThere("This part is empty, so there is nothing to work with.")
            return _Cut(None, [], None)
        drawn, hidden = drawn_art(before, layers, self.row, art) if len(part.frames) == 1 else (art, None)
        masks: list[Mask] = []
        for wish in self.parts:
            try:
                masks.append(
                    select(
                        drawn.picture,
                        art.box,
                        wish.gestures,
                        wish.edge,
                        lambda _: division_of(layers, drawn),
                        clicked_in(layers, drawn),
                    )
                )
            except (NothingThere, NothingChosen):
                if len(part.frames) == 1:
                    raise
                masks.append(np.zeros(art.picture.shape[:2], np.uint8))
        owner = label_map(drawn.picture, masks)
        there = [number for number in range(1, len(masks) + 1) if (owner == number).any()]
        if not there:
            return _Cut(None, [], None)
        anew = np.zeros(len(masks) + 1, np.int32)
        anew[there] = np.arange(1, len(there) + 1)
        art = self._source(art, drawn)
        found = cut_out(art.in_its_layer, anew[owner], self.behind, masks[0] if len(masks) == 1 else None)
        own = iter(found.taken)
        taken = [next(own) if number in there else None for number in range(1, len(masks) + 1)]
        return _Cut(art, taken, found.left, hidden)


@dataclass(frozen=True, slots=True, config=CONFIG)
class TakePieces(_Taking):
    """Take every separate piece of a part out of it, or every region that is proposed when it is divided into so many.

    Each becomes a part, named by the part's own name and a number, but for those that are `joined` or `left_out`, by their numbers
    from 1. Pieces up to `gap` pixels apart are one; smaller ones than `smallest` pixels belong to the nearest.
    """

    row: RowId
    _: KW_ONLY
    gap: Annotated[float, Field(strict=True, ge=0, le=200)] = 0.0
    smallest: Annotated[int, Field(strict=True, ge=1)] = 1
    regions: Annotated[int, Field(strict=True, ge=1, le=MAX_REGIONS)] | None = None
    joined: tuple[tuple[StrictInt, ...], ...] = ()
    left_out: tuple[StrictInt, ...] = ()
    behind: Behind = None
    copy: StrictBool = False
    do: Literal["take-pieces"] = field(default="take-pieces", kw_only=True, repr=False)

    def prepared(self, before: Arrangement, layers: LayerStore) -> Command:
        part = part_to_change(before, self.row)
        check_behind(before, self.row, self.behind is not None)
        if len(part.frames) > 1:
            raise CannotTakeOut(f"'{part.name}' has frames. Read them as parts first, and take all pieces of each.")
        whole = art_of(before, layers, self.row)
        drawn, hidden = drawn_art(before, layers, self.row, whole)
        if self.regions is not None:
            owner = division_of(layers, drawn).parts_at(self.regions)
        else:
            owner = without_crumbs(islands(drawn.picture, gap=self.gap, smallest=self.smallest))
        art = self._source(whole, drawn)
        count = int(owner.max())
        owner = rearranged(owner, self.joined, self.left_out)
        if count < 2 or not owner.any():
            raise CannotTakeOut(
                f"'{part.name}' is one island, or all islands are left out. Use a smaller gap tolerance, or take art out by hand."
            )
        found = cut_out(art.in_its_layer, owner, self.behind)
        wished = [f"{part.name} {number + 1}" for number in range(len(found.taken))]
        return self._step(before, layers, part, [_Cut(art, found.taken, found.left, hidden)], wished)
