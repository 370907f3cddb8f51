"""Pictures of the whole canvas: the reference, and the figure in other forms; after a change only what it touches is composed again.

The canvas is looked at in tiles. Each has a key of all that is laid in it: what that is, how, and the check sums of its pixels there. Tiles
whose keys are as in the earlier file look as they did. Source of the idea: R. C. Merkle, "A Digital Signature Based on a Conventional
Encryption Function", CRYPTO '87 (comparing by hashes of pieces); the keys are mixed as in G. L. Steele, D. Lea and C. H. Flood, "Fast
Splittable Pseudorandom Number Generators", OOPSLA 2014.
"""

import hashlib
import struct
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import groupby
from typing import Any

import deflate
import numpy as np
from numpy.typing import NDArray

from yuplet.arrangement.tree import Arrangement, Row, composite_tree
from yuplet.geometry import Box, Point, Size
from yuplet.parts.part import Part, part_node, render_frame, render_frame_deep, rest_box
from yuplet.pixels import DeepPicture, Picture, blending
from yuplet.pixels.compositing import CompositeNode, GroupNode, PictureNode, compose, compose_bands, compose_deep
from yuplet.pixels.scaling import resampled
from yuplet.pixels.spill_file import PixelSource, SpillFile
from yuplet.pixels.trimming import Pixels
from yuplet.plan.planned import Plan, PlannedPart, PlannedScale
from yuplet.plan.recipe import Images
from yuplet.writing import banded_png, images, png
from yuplet.writing.pictures import Sources, part_picture, part_picture_deep

TILE = Size(256, banded_png.BAND)
"""Pixels of the canvas that are composed again together."""
_BANDED_FROM = 1 << 20
"""Pixels from which a picture is written in bands: a smaller one is made anew in a moment."""
_TILES = "tiles"

_Keys = NDArray[np.uint64]


@dataclass(frozen=True, slots=True)
class WrittenPicture:
    """A picture of the whole canvas as a PNG, and the CRC-32 of its RGBA pixels."""

    data: bytes
    pixels_crc32: int


def written(
    plan: Plan, at: PlannedScale, tree: tuple[Row, ...], sources: Sources, workers: int, earlier: bytes | None = None
) -> WrittenPicture:
    """The picture that a tree puts together at a scale, as a PNG.

    `earlier` is the file that shows the same as it was before, if there is one; what has not changed is taken from it. The pixels are the
    same with it and without it.
    """
    size, effort, ppi = at.canvas, plan.recipe.images.effort, plan.ppi_at(at)
    if plan.is_deep:
        deep = composed_deep(plan, at, tree, sources, workers)
        return WrittenPicture(images.encode(deep, Images(effort=effort), ppi), images.crc32(deep))
    if size.pixels < _BANDED_FROM:
        picture = composed(plan, at, tree, sources, workers)
        return WrittenPicture(png.encode(picture, effort, ppi), deflate.crc32(picture))
    members = composite_tree(Arrangement(tree), lambda part: part_node(part, plan.layer_boxes, plan.canvas))
    before = None if earlier is None else banded_png.opened(earlier)
    notes: Mapping[str, _Keys] = {}
    if at.factor == 1 and all(leaf.key in sources.digests for leaf in _leaves(members)):
        notes = _noted(members, plan, sources, before, workers)
        made = None if before is None else _changed(before, notes, plan, at, tree, sources, workers)
        if made is not None:
            return WrittenPicture(banded_png.encoded(made, ppi), made.pixels_crc32)
    bands = banded_png.Bands(size, effort)
    if at.factor == 1:
        _compose_bands(plan, at, tree, sources, bands, workers)
    else:
        bands.add_all(composed(plan, at, tree, sources, workers), workers)
    if bands.has_few_colours:
        picture = bands.picture()
        return WrittenPicture(png.encode(picture, effort, ppi), deflate.crc32(picture))
    made = bands.finished(notes, workers)
    return WrittenPicture(banded_png.encoded(made, ppi), made.pixels_crc32)


def _changed(
    before: banded_png.Banded,
    notes: Mapping[str, _Keys],
    plan: Plan,
    at: PlannedScale,
    tree: tuple[Row, ...],
    sources: Sources,
    workers: int,
) -> banded_png.Banded | None:
    """The earlier picture with those tiles composed again whose keys are others; None where it is of no use."""
    if before.size != at.canvas or _TILES not in before.notes:
        return None
    differs = before.notes[_TILES] != notes[_TILES]

    def band(row: int) -> banded_png.Band:
        rows = banded_png.pixels_of(before, row)
        top = row * TILE.height
        for is_other, columns in groupby(range(differs.shape[1]), lambda column: bool(differs[row, column])):
            if not is_other:
                continue
            run = list(columns)
            area = Box(run[0] * TILE.width, top, min((run[-1] + 1) * TILE.width, at.canvas.width), top + len(rows))
            rows[:, area.left : area.right] = composed(plan, at, tree, sources, 1, area)
        return banded_png.band_of(rows, before.channels, plan.recipe.images.effort)

    touched = [int(row) for row in np.flatnonzero(differs.any(axis=1))]
    with ThreadPoolExecutor(workers) as pool:
        made = dict(zip(touched, pool.map(band, touched), strict=True))
    bands = banded_png.changed_bands(before, made)
    return None if bands is None else banded_png.Banded(before.size, before.channels, bands, notes)


def composed(
    plan: Plan, at: PlannedScale, tree: tuple[Row, ...], sources: Sources, workers: int, area: Box | None = None
) -> Picture:
    """The picture that a tree puts together. Parts of several layers are laid as they are written: rounded to 8 bits.

    At another scale than 1, parts that can be drawn anew are, and the others are scaled before they are laid; where there is none
    of the former, the whole picture is scaled. At scale 1 it may be but an `area` of it.
    """
    laying = _Laying(plan, at, sources, area)
    with SpillFile() as scratch:
        members = laying.members(tree, laying.keeping(scratch), scratch)
        return laying.scaled(compose(members, laying.wanted.size, _Both(sources.pixels, scratch), workers))


def _compose_bands(
    plan: Plan, at: PlannedScale, tree: tuple[Row, ...], sources: Sources, bands: banded_png.Bands, workers: int
) -> None:
    """The picture at scale 1, of which each band is written as soon as it is there: it need not be in memory as a whole."""
    laying = _Laying(plan, at, sources)
    with SpillFile() as scratch:
        members = laying.members(tree, laying.keeping(scratch), scratch)
        both = _Both(sources.pixels, scratch)
        compose_bands(members, laying.wanted.size, both, banded_png.BAND, bands.add, workers)


def composed_deep(plan: Plan, at: PlannedScale, tree: tuple[Row, ...], sources: Sources, workers: int) -> DeepPicture:
    """The same with 16 bits a channel, to which parts of several layers are rounded."""
    laying = _Laying(plan, at, sources)
    with SpillFile() as scratch:

        def keep(key: str, part: Part, box: Box) -> None:
            if laying.is_anew:
                scratch.put_deep(key, part_picture_deep(plan, at, laying.by_id[part.id], 0, box, sources))
            else:
                scratch.put_deep(key, render_frame_deep(part, 0, box, plan.layer_boxes, sources.pixels))

        members = laying.members(tree, keep, scratch)
        both = _Both(sources.pixels, scratch, is_deep=True)
        return laying.scaled(compose_deep(members, laying.wanted.size, both, workers))


@dataclass(frozen=True, slots=True)
class _Laying:
    """How the parts of a tree are put together at a scale, or in but an `area` of it at scale 1."""

    plan: Plan
    at: PlannedScale
    sources: Sources
    area: Box | None = None

    @property
    def by_id(self) -> dict[str, PlannedPart]:
        return {planned.part.id: planned for planned in self.plan.parts}

    @property
    def is_anew(self) -> bool:
        """Whether parts are drawn or scaled before they are laid, and not the whole picture afterwards."""
        can = any(is_drawn_anew(self.plan, one.part) for one in self.plan.parts)
        return self.at.factor != 1 and self.sources.drawing is not None and can

    @property
    def wanted(self) -> Box:
        """What is put together, in pixels of the canvas, or of the scaled one where it is anew."""
        return self.area or Box(0, 0, *(self.at.canvas if self.is_anew else self.plan.canvas))

    def keeping(self, scratch: SpillFile) -> Callable[[str, Part, Box], None]:
        """What draws a part and keeps it under a key."""

        def keep(key: str, part: Part, box: Box) -> None:
            if self.is_anew:
                scratch.put(key, part_picture(self.plan, self.at, self.by_id[part.id], 0, box, self.sources))
            else:
                scratch.put(key, render_frame(part, 0, box, self.plan.layer_boxes, self.sources.pixels))

        return keep

    def members(
        self, tree: tuple[Row, ...], keep: Callable[[str, Part, Box], None], scratch: SpillFile
    ) -> tuple[CompositeNode, ...]:
        """What is laid; `keep` is told which parts to draw, under which key and in which box."""
        plan, wanted, is_anew = self.plan, self.wanted, self.is_anew

        def one(part: Part) -> CompositeNode | None:
            box = rest_box(part, plan.layer_boxes, plan.canvas)
            if box is None:
                return None
            key = f"part {part.id}"
            if is_anew:
                box = self.at.images[part.id].cut
                keep(key, part, box)
            elif part.is_one_layer:
                whole = part_node(part, plan.layer_boxes, plan.canvas)
                assert isinstance(whole, PictureNode)
                return _moved(whole, wanted)
            else:
                box = box.meet(wanted)
                if not box.is_empty:
                    keep(key, part, box)
            return _moved(PictureNode(key, box, part.opacity, part.blend), wanted)

        members: tuple[CompositeNode, ...] = composite_tree(Arrangement(tree), one)
        if plan.recipe.reference_ground is None:
            return members
        # Composited in one go, so that it is rounded only once.
        ground = np.empty((wanted.height, wanted.width, 4), np.uint8)
        ground[:] = (*plan.recipe.reference_ground, 255)
        scratch.put("part ground", ground)
        return PictureNode("part ground", Box(0, 0, *wanted.size)), GroupNode(members, isolated=True)

    def scaled(self, whole: Pixels) -> Pixels:
        """The picture at its scale."""
        if self.is_anew or self.at.factor == 1:
            return whole
        return resampled(whole, Point(0, 0), Box(0, 0, *self.at.canvas), self.at.factor, self.plan.recipe.smooth)


def _moved(leaf: PictureNode, area: Box) -> PictureNode:
    return PictureNode(leaf.key, leaf.box.moved(-area.left, -area.top), leaf.opacity, leaf.blend)


def is_drawn_anew(plan: Plan, part: Part) -> bool:
    """Whether a part is drawn at each scale rather than scaled."""
    return all(piece.layer in plan.drawn_by for piece in part.pieces)


class _Both:
    """Layers as they were brought in, and parts that were drawn, with the bits of what is written, of which the reference is made."""

    def __init__(self, layers: PixelSource, parts: PixelSource, is_deep: bool = False) -> None:
        self._layers, self._parts, self._is_deep = layers, parts, is_deep

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        return self._of(key).rows(key, top, bottom)

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        return self._of(key).deep_rows(key, top, bottom) if self._is_deep else None

    def _of(self, key: str) -> PixelSource:
        return self._parts if key.startswith("part ") else self._layers


def _leaves(members: Sequence[CompositeNode]) -> Iterator[PictureNode]:
    for member in members:
        if isinstance(member, PictureNode):
            yield member
        else:
            yield from _leaves(member.members)


def _noted(
    members: Sequence[CompositeNode], plan: Plan, sources: Sources, before: banded_png.Banded | None, workers: int
) -> dict[str, _Keys]:
    """The keys of all tiles, and the check sums of each layer in the tiles that it touches, by what its pixels are and where it lies.

    Those of layers that have not changed are taken from the earlier file, so that their pixels need not be read.
    """
    canvas = plan.canvas
    known = before.notes if before is not None and before.size == canvas else {}
    names = {(leaf.key, leaf.box): f"{sources.digests[leaf.key]} {leaf.box[:2]}" for leaf in _leaves(members)}

    def sums(placed: tuple[str, Box]) -> _Keys:
        name = names[placed]
        return known[name] if name in known else _check_sums(*placed, canvas, sources.pixels)

    with ThreadPoolExecutor(workers) as pool:
        found = dict(zip(names, pool.map(sums, names), strict=True))
    shape = -(-canvas.height // TILE.height), -(-canvas.width // TILE.width)
    begin = np.full(shape, _number([plan.recipe.reference_ground]), np.uint64)
    return {_TILES: _keys(members, begin, found, canvas), **{names[placed]: one for placed, one in found.items()}}


def _tiles(box: Box, canvas: Size) -> tuple[slice, slice]:
    """The rows and columns of tiles that a box touches."""
    seen = box.meet(Box(0, 0, *canvas))
    if seen.is_empty:
        return slice(0, 0), slice(0, 0)
    return (
        slice(seen.top // TILE.height, -(-seen.bottom // TILE.height)),
        slice(seen.left // TILE.width, -(-seen.right // TILE.width)),
    )


def _check_sums(layer: str, box: Box, canvas: Size, source: PixelSource) -> _Keys:
    """CRC-32 and Adler-32 of the pixels of a layer in each tile that it touches, and of where in it they lie."""
    rows, columns = _tiles(box, canvas)
    found = np.zeros((rows.stop - rows.start, columns.stop - columns.start), np.uint64)
    for row in range(rows.start, rows.stop):
        top, bottom = max(row * TILE.height, box.top), min((row + 1) * TILE.height, box.bottom)
        deep = source.deep_rows(layer, top - box.top, bottom - box.top)
        pixels: Any = source.rows(layer, top - box.top, bottom - box.top) if deep is None else deep
        for column in range(columns.start, columns.stop):
            left, right = max(column * TILE.width, box.left), min((column + 1) * TILE.width, box.right)
            inner = np.ascontiguousarray(pixels[:, left - box.left : right - box.left]).view(np.uint8)
            place = struct.pack(">4i", left, top, right, bottom)
            crc = deflate.crc32(inner, deflate.crc32(place))
            found[row - rows.start, column - columns.start] = crc << 32 | deflate.adler32(inner)
    return found


def _keys(members: Sequence[CompositeNode], begin: _Keys, sums: Mapping[tuple[str, Box], _Keys], canvas: Size) -> _Keys:
    keys = begin.copy()
    for member in members:
        mode = blending.MODES[member.blend]
        if isinstance(member, PictureNode):
            how = _number(["part", member.opacity, member.blend])
            if mode in blending.CLEARING:
                keys = _mixed(keys, how)
            at = _tiles(member.box, canvas)
            keys[at] = _mixed(_mixed(keys[at], how), sums[member.key, member.box])
        else:
            how = _number(["group", member.opacity, member.blend, member.isolated])
            inner = _keys(member.members, np.zeros_like(keys), sums, canvas)
            touched = np.ones_like(keys, bool) if mode in blending.CLEARING else inner != 0
            keys[touched] = _mixed(_mixed(keys, how), inner)[touched]
    return keys


def _number(said: Sequence[Any]) -> np.uint64:
    return np.uint64(int.from_bytes(hashlib.blake2b(repr(said).encode(), digest_size=8).digest(), "big"))


def _mixed(keys: _Keys, other: _Keys | np.uint64) -> _Keys:
    """Keys that depend on both and on their order: the finaliser of SplitMix64."""
    mixed = keys * np.uint64(0x9E3779B97F4A7C15) + other
    mixed = (mixed ^ (mixed >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    mixed = (mixed ^ (mixed >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return mixed ^ (mixed >> np.uint64(31))
