"""The edge of a part touched up after it was taken out: the cut is made again with the mask as it is then, and with it all that
was made of either side.
"""

from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass, replace

import numpy as np

from yuplet.derivation.content import Content, Derived, placed_mask
from yuplet.derivation.cutting import cut_out, label_map
from yuplet.derivation.rebuilding import rebuilt
from yuplet.errors import CannotTakeOut
from yuplet.geometry import Size
from yuplet.illustration.derived import Cut, DerivedLayer, Extension, Merged, Turned
from yuplet.selecting.gestures import Brush
from yuplet.selecting.marking import of_brush
from yuplet.selecting.masks import HALF, Mask, combine, hard_mask


@dataclass(frozen=True, slots=True)
class Rederived:
    """A layer that takes the place of another one: `of` may be one that is replaced itself. None: it is empty by now."""

    instead_of: str
    of: str | None
    made: Derived | None


def touch_up(
    layers: Sequence[DerivedLayer],
    layer: str,
    strokes: Sequence[Brush],
    content: Callable[[str], Content | None],
    mask_of: Callable[[str], Mask],
    used: Set[str],
    canvas: Size,
) -> list[Rederived]:
    """Add to what was taken out, or give some of it back.

    Parameters
    ----------
    layers : sequence of DerivedLayer
        All made layers, each after those that it is made of.
    layer : str
        The one whose edge is touched up.
    strokes : sequence of Brush
        Those that add and those that subtract, one after the other; places on the canvas.
    content, mask_of : callable
        The content of a layer, and the mask that a key stands for.
    used : set of str
        The layers that parts are of. What is made of the two sides of the cut is made again if it leads to one of them.
    canvas : Size

    Returns
    -------
    list of Rederived
        Each after those that it is made of.

    Raises
    ------
    CannotTakeOut
        When the layer was not taken out of anything, or would have nothing left.
    """
    by_id = {made.id: made for made in layers}
    own = by_id.get(layer)
    # What was made of the part since then, like a growth under its neighbours, is made again.
    while own is not None and not (isinstance(own.derivation, Cut) and own.derivation.keeps == "taken"):
        if isinstance(own.derivation, Turned):
            raise CannotTakeOut("This part is another one mirrored or turned. Touch up the edge of that one.")
        own = by_id.get(own.of or "")
    source = content(own.of) if own is not None and own.of is not None else None
    if own is None or source is None:
        raise CannotTakeOut("This part was not taken out of another one, so there is no edge to touch up.")
    cut = _one_cut(layers, own, mask_of)
    taken = [made for made in cut if _cut(made).keeps == "taken"]
    masks = [placed_mask(mask_of(_cut(made).mask), _cut(made).mask_box, source.box) for made in taken]
    index = taken.index(own)
    height, width = source.picture.shape[:2]
    owner = label_map(source.picture, masks)
    mask = masks[index]
    for stroke in strokes:
        points = [(x - source.box.left, y - source.box.top) for x, y in stroke.points]
        painted = of_brush(points, stroke.size, stroke.hardness, width, height)
        mask = combine(mask, painted, stroke.how)
        if stroke.how == "subtract":
            owner[(owner == index + 1) & (painted >= HALF)] = 0
        else:
            owner[painted >= HALF] = index + 1
    is_alone = len(taken) == 1
    if _cut(own).behind is None:
        # Over an empty place no edge can be soft, not even that of a stroke.
        mask = hard_mask(mask >= HALF)
    if is_alone:
        owner = label_map(source.picture, [mask])
    gone = np.flatnonzero(np.bincount(owner[source.picture[..., 3] > 0], minlength=len(taken) + 1)[1:] == 0)
    if gone.size:
        raise CannotTakeOut("Nothing would be left of a part. Undo taking it out instead.")
    found = cut_out(source, owner, _cut(own).behind, mask if is_alone else None)
    result: list[Rederived] = []
    rest = iter(found.taken)
    for made in cut:
        result.append(Rederived(made.id, made.of, next(rest) if _cut(made).keeps == "taken" else found.left))
    return result + _made_of(layers, {one.instead_of: one.made for one in result}, content, mask_of, used, canvas)


def _cut(made: DerivedLayer) -> Cut:
    assert isinstance(made.derivation, Cut)
    return made.derivation


def _one_cut(layers: Sequence[DerivedLayer], own: DerivedLayer, mask_of: Callable[[str], Mask]) -> list[DerivedLayer]:
    """Everything that one cut made: parts back to front, and what was left, if it was kept. They stand together.

    Copies of the same layer may stand before them: the parts of a cut are those whose masks are that of what was left.
    """

    def is_of(at: int, keeps: str) -> bool:
        one = layers[at]
        return one.of == own.of and isinstance(one.derivation, Cut) and one.derivation.keeps == keeps

    at = layers.index(own)
    last = at
    while last + 1 < len(layers) and is_of(last + 1, "taken"):
        last += 1
    if last + 1 == len(layers) or not is_of(last + 1, "left"):
        return [own]  # a copy: each was taken for itself
    left = _cut(layers[last + 1])
    wanted = mask_of(left.mask) >= HALF
    found = np.zeros_like(wanted)

    def join(one: DerivedLayer) -> None:
        derivation = _cut(one)
        found[placed_mask(mask_of(derivation.mask), derivation.mask_box, left.mask_box) >= HALF] = True

    for one in layers[at : last + 1]:
        join(one)
    first = at
    while not np.array_equal(found, wanted) and first > 0 and is_of(first - 1, "taken"):
        first -= 1
        join(layers[first])
    if not np.array_equal(found, wanted):
        return [own]
    return list(layers[first : last + 2])


def _made_of(
    layers: Sequence[DerivedLayer],
    new: dict[str, Derived | None],
    content: Callable[[str], Content | None],
    mask_of: Callable[[str], Mask],
    used: Set[str],
    canvas: Size,
) -> list[Rederived]:
    """All that is made of replaced layers and leads to one that is used."""
    wanted = set(used)
    for made in reversed(layers):
        if made.id in wanted:
            wanted |= set(made.sources)
    result = []
    for made in layers:
        if made.id in new or made.id not in wanted or not new.keys() & set(made.sources):
            continue
        sources = {}
        for layer in made.sources:
            replaced = new.get(layer)
            found = (replaced.content if replaced else None) if layer in new else content(layer)
            if found is not None:
                sources[layer] = found
        mask = mask_of(made.derivation.mask) if isinstance(made.derivation, Cut | Extension) else None
        again = rebuilt(made, sources, mask, canvas)
        new[made.id] = again
        result.append(Rederived(made.id, made.of, again))
    return result


def with_sources(made: Derived, ids: dict[str, str]) -> Derived:
    """A made layer whose derivation names other layers."""
    if isinstance(made.derivation, Extension) and made.derivation.mirror_source in ids:
        return replace(made, derivation=replace(made.derivation, mirror_source=ids[made.derivation.mirror_source]))
    if not isinstance(made.derivation, Merged):
        return made
    pieces = tuple((ids.get(layer, layer), opacity, blend) for layer, opacity, blend in made.derivation.pieces)
    return replace(made, derivation=Merged(pieces))
