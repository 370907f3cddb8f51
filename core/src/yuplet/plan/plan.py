"""Everything that a hand-over will write: names, boxes, order, and the tree that puts the picture together again."""

import math
from collections.abc import Iterable, Mapping
from dataclasses import asdict, replace
from fractions import Fraction
from typing import Any

from yuplet.arrangement.sets.looks import combined
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.arrangement.tree_edits import carriers_of
from yuplet.errors import NothingToHandOver
from yuplet.geometry import Box, Size
from yuplet.illustration.derived import Turn, Turned
from yuplet.illustration.layers import Illustration
from yuplet.parts.part import Part, Piece, part_box
from yuplet.plan.measuring import Measured
from yuplet.plan.naming import Naming, files_of, named
from yuplet.plan.notes import notes_of
from yuplet.plan.planned import Plan, PlannedExtra, PlannedFrame, PlannedImage, PlannedPart, PlannedScale, PlanNote
from yuplet.plan.recipe import Images, Recipe, scaled, scaled_canvas
from yuplet.plan.storing import ANIMATED, digest, milliseconds_of, stored

_LONGEST_FLIP_BOOK = 240
"""Frames up to which parts of different counts go on until all begin anew together."""
_KEYS = "yuplet 1"
"""Changes when the same description gives other bytes, so that files of an older version are written anew."""
_DRAWN = "plain"
"""The same for SVG."""


def plan_hand_over(
    illustration: Illustration,
    arrangement: Arrangement,
    source_sha256: str = "",
    illustration_id: str = "",
    recipe: Recipe | None = None,
    measured: Mapping[str, Measured] | None = None,
    digests: Mapping[str, str] | None = None,
) -> Plan:
    """Plan the hand-over of every included part.

    Parameters
    ----------
    illustration : Illustration
        Gives the canvas and the box of each layer.
    arrangement : Arrangement
        Which parts, in which groups and order. `alone` is for looking only and has no effect.
    source_sha256 : str
        The digest of the original file, for the manifest.
    illustration_id : str
        What tells this illustration from all others, so that a package that is brought in again finds it.
    recipe : Recipe
        How; without one, every part is a trimmed PNG in a folder for each group.
    measured : mapping
        What `yuplet.plan.measuring` found; without it, boxes of cut, faint or blended parts may be too large.
    digests : mapping
        What tells the pixels of each layer from all others; without it, everything counts as changed.

    Raises
    ------
    NothingToHandOver
        No included part has a visible pixel.
    """
    recipe = recipe or Recipe()
    planner = _Planner(illustration, arrangement.settled(), recipe, measured or {}, digests or {})
    parts = planner.parts()
    if not parts:
        raise NothingToHandOver()
    kept = {item.part.id for item in parts}
    tree = _kept(planner.arrangement.rows, kept)
    scales = planner.scales(parts, tree)
    extras, unknown = planner.extras(parts, scales[0], kept, arrangement, planner.stems(parts, 0))
    return Plan(
        title=illustration.name,
        recipe=recipe,
        canvas=illustration.canvas,
        ppi=illustration.ppi,
        source_sha256=source_sha256,
        parts=parts,
        scales=scales,
        extras=extras,
        tree=tree,
        left_out=tuple(planner.left_out),
        empty=tuple(planner.empty),
        layer_boxes=planner.boxes,
        drawn_by={layer.id: layer.source for layer in illustration.leaves() if layer.kind == "vector" and layer.source},
        credit=illustration.credit,
        illustration_id=illustration_id,
        parents=_carried(arrangement, kept),
        distance=arrangement.decisions.distance,
        travel=arrangement.decisions.travel,
        notes=(*notes_of(recipe, illustration.canvas, parts, scales, extras, planner.measured, tree), *unknown),
    )


class _Planner:
    """What the steps of planning have in common."""

    def __init__(
        self,
        illustration: Illustration,
        arrangement: Arrangement,
        recipe: Recipe,
        measured: Mapping[str, Measured],
        digests: Mapping[str, str],
    ) -> None:
        self.illustration, self.arrangement, self.recipe = illustration, arrangement, recipe
        self.measured, self.digests = measured, digests
        self.boxes = illustration.boxes
        self.left_out: list[str] = []
        self.empty: list[str] = []
        self._made = {made.id: made for made in illustration.made}
        self._said: dict[Images, dict[str, Any]] = {}
        self._kinds = {layer.id: layer.kind for layer in illustration.leaves()}

    def parts(self) -> tuple[PlannedPart, ...]:
        """What is included and not empty, back to front; the rest is listed."""
        found: list[PlannedPart] = []
        for around, part in self.arrangement.parts():
            path = (*(group.name for group in around), part.name)
            images, rule = self.recipe.images_of(path, part)
            known = self.measured.get(part.id)
            box = part_box(part, self.boxes, self.illustration.canvas) if known is None else known.box
            if not part.included:
                self.left_out.append(" / ".join(path))
            elif box is None:
                self.empty.append(" / ".join(path))
            else:
                shown = part.shown and all(group.shown for group in around)
                found.append(
                    PlannedPart(
                        part=part, path=path, order=len(found) + 1, shown=shown, box=box, images=images, rule=rule
                    )
                )
        return tuple(found)

    def stems(self, parts: tuple[PlannedPart, ...], number: int) -> dict[str, str]:
        """The path of each part's file at the scale of that number, without its ending."""
        recipe, around = self.recipe, {part.id: groups for groups, part in self.arrangement.parts()}
        sides = self.arrangement.decisions.sides
        naming = Naming(
            recipe.names, self.illustration.name, named((around[one.part.id], one.part) for one in parts), sides
        )
        scale = recipe.scales[number]
        suffix = f"-{scale.label}" if number and not recipe.names.has("scale") else ""
        return {one.part.id: naming.stem(one.part.id, scale.label, recipe.names.folder + suffix) for one in parts}

    def scales(self, parts: tuple[PlannedPart, ...], tree: tuple[Row, ...]) -> tuple[PlannedScale, ...]:
        """Everything at each scale; what belongs to another than the first is told by its label."""
        recipe, illustration = self.recipe, self.illustration
        found = []
        for number, scale in enumerate(recipe.scales):
            factor = scale.of(illustration.canvas, illustration.ppi)
            suffix = f"-{scale.label}" if number else ""
            stems = self.stems(parts, number)
            canvas = scaled_canvas(illustration.canvas, factor)
            images = self._images(parts, factor, canvas, stems)
            images, sheets = stored(recipe.sheets, parts, images, stems, f"sheets{suffix}", self.measured)
            found.append(
                PlannedScale(
                    scale=scale,
                    factor=factor,
                    canvas=canvas,
                    images=images,
                    sheets=sheets,
                    manifest=f"manifest{suffix}.json",
                    reference=f"reference{suffix}.png",
                    reference_key=self._reference_key(tree, factor),
                    table=f"places{suffix}.csv",
                )
            )
        return tuple(found)

    def _images(
        self, parts: tuple[PlannedPart, ...], factor: Fraction, canvas: Size, stems: Mapping[str, str]
    ) -> dict[str, PlannedImage]:
        whole = Box(0, 0, *canvas)
        cuts = {one.part.id: scaled(one.box, factor) for one in parts}
        common: dict[int, Box] = {}
        for one in parts:
            if one.images.extent == "common":
                own = cuts[one.part.id]
                common[one.rule] = common[one.rule].join(own) if one.rule in common else own
        found: dict[str, PlannedImage] = {}
        drawings: dict[tuple[str, Images], tuple[PlannedImage, Turn]] = {}
        for one in parts:
            images, own = one.images, cuts[one.part.id]
            drawing = self._drawing(one, factor)
            if drawing is not None and (drawing[0], images) in drawings:
                first, before = drawings[drawing[0], images]
                turn = before.back.then(drawing[1])
                pads = _turned_pads(first, turn)
                box = Box(own.left - pads[0], own.top - pads[1], own.right + pads[2], own.bottom + pads[3])
                found[one.part.id] = PlannedImage(first.frames, own, box, turn)
                continue
            if images.extent == "canvas":
                own, box = own.meet(whole), replace(images, margin=0).padded(whole)
            else:
                box = images.padded(common[one.rule] if images.extent == "common" else own)
            files = files_of(stems[one.part.id], images.ending, len(one.part.frames))
            pairs = zip(files, self._keys(one, own, box, factor), strict=True)
            image = PlannedImage(tuple(PlannedFrame(file, key) for file, key in pairs), own, box, None)
            found[one.part.id] = image
            if drawing is not None:
                drawings[drawing[0], images] = (image, drawing[1])
        return found

    def _drawing(self, planned: PlannedPart, factor: Fraction) -> tuple[str, Turn] | None:
        """The layer that a part is a picture of, and how that is turned; None where it is more than that, or where it is cut or scaled
        so that a turned image would have other pixels.
        """
        part, images = planned.part, planned.images
        if len(part.frames) > 1 or not part.is_one_layer or images.extent != "trimmed" or images.threshold:
            return None
        layer = part.pieces[0].layer
        if factor.denominator != 1 or self.boxes[layer].moved(*part.offset) != planned.box:
            return None
        if factor != 1 and self._kinds.get(layer) == "vector":
            return None  # each is drawn anew
        turn = Turn()
        while (
            (made := self._made.get(layer)) is not None and isinstance(made.derivation, Turned) and made.of is not None
        ):
            layer, turn = made.of, made.derivation.turn.then(turn)
        return layer, turn

    def _pieces(self, pieces: Iterable[Piece], part: Part, origin: Box) -> list[Any]:
        """What the pixels of a frame depend on; places from the origin."""
        return [
            [
                self.digests[piece.layer],
                piece.opacity,
                piece.blend,
                self.boxes[piece.layer].moved(*part.offset).moved(-origin.left, -origin.top),
            ]
            for piece in pieces
            if piece.layer in self.boxes
        ]

    def _settings(self, images: Images) -> dict[str, Any]:
        """What of the settings the pixels and the bytes of an image depend on, for a given box."""
        if images not in self._said:
            others: tuple[str, ...] = ("extent", "margin", "sides", "threshold", "stored", "moving")
            # Keys of before there was a choice say nothing of 8 bits.
            others += ("bits",) if images.bits == 8 else ()
            self._said[images] = {name: value for name, value in asdict(images).items() if name not in others}
        return self._said[images]

    def _keys(self, planned: PlannedPart, own: Box, box: Box, factor: Fraction) -> tuple[str, ...]:
        part = planned.part
        if any(layer in self.boxes and layer not in self.digests for layer in part.layers):
            return ("",) * len(part.frames)
        # Where the grid of a scale does not fall on that of the canvas, pixels depend on the place as well.
        origin = planned.box if factor.denominator == 1 else Box(0, 0, 0, 0)
        settings = self._settings(planned.images)
        at = (own.left - box.left, own.top - box.top, *own.size, *box.size)
        ppi = self.illustration.ppi and float(self.illustration.ppi * factor)
        rest = [_KEYS, settings, at, str(factor), self.recipe.smooth, ppi, planned.box.moved(-origin.left, -origin.top)]
        return tuple(digest([rest, self._pieces(frame.pieces, part, origin)]) for frame in part.frames)

    def extras(
        self,
        parts: tuple[PlannedPart, ...],
        at: PlannedScale,
        kept: set[str],
        arrangement: Arrangement,
        stems: Mapping[str, str],
    ) -> tuple[tuple[PlannedExtra, ...], list[PlanNote]]:
        """What is written beside the images, and names in it that are not there."""
        wanted = self.recipe.extras
        key = self._key_of_all(parts, at)
        found: list[PlannedExtra] = []
        notes: list[PlanNote] = []
        if wanted.layers:
            found.append(PlannedExtra(file="layers.ora", kind="layers", key=key))
        if wanted.openexr:
            found.append(PlannedExtra(file="parts.exr", kind="openexr", key=key))
        if wanted.model is not None:
            found.append(PlannedExtra(file="model.glb", kind="model", key=digest([key, asdict(wanted.model)])))
        if wanted.page:
            found += [
                PlannedExtra(file="index.html", kind="page", key=key),
                PlannedExtra(file="style.css", kind="style", key=key),
            ]
        if wanted.scene:
            found.append(PlannedExtra(file="scene.svg", kind="scene", key=digest([key, _DRAWN])))
        if wanted.vector == "symbols":
            if any(self._is_vector(planned.part) for planned in parts):
                found.append(PlannedExtra(file="symbols.svg", kind="symbols", key=digest([key, _DRAWN])))
        elif wanted.vector != "none":
            found += self._vector_files(parts, wanted.vector, stems)
        found += [
            PlannedExtra(file=one.file, kind="places", key=digest([key, asdict(one)]), places=one)
            for one in wanted.places
        ]
        found += [
            PlannedExtra(file=f"overview.{form}", kind="overview", key=digest([key, form])) for form in wanted.overview
        ]
        for one in wanted.combinations:
            formed, missing = combined(arrangement, one.look, one.alternates, one.hidden)
            tree = _kept(formed.settled().rows, kept)
            file = f"combinations/{one.name}.png"
            found.append(
                PlannedExtra(
                    file=file, kind="combination", key=self._reference_key(tree, at.factor), size=at.canvas, tree=tree
                )
            )
            if missing:
                said = (
                    f"The combination '{one.name}' names what is not there: {', '.join(missing)}. It is made without."
                )
                notes.append(PlanNote("no such name", "warning", said, (), (file,)))
        return tuple(found + self._flip_book(kept, at)), notes

    def _flip_book(self, kept: set[str], at: PlannedScale) -> list[PlannedExtra]:
        """The whole picture frame by frame: parts that move step together, each from its beginning again after its last frame."""
        form = self.recipe.extras.flip_book
        moving = [part for _, part in self.arrangement.parts() if part.id in kept and len(part.frames) > 1]
        if form == "none" or not moving:
            return []
        counts = [len(part.frames) for part in moving]
        count = math.lcm(*counts)
        if count > _LONGEST_FLIP_BOOK:
            count = max(counts)

        def at_moment(number: int) -> tuple[Row, ...]:
            def one(row: Row) -> Row:
                if isinstance(row, PartGroup) or len(row.frames) < 2:
                    return row
                return replace(row, frames=(row.frames[number % len(row.frames)],))

            return _kept(self.arrangement.changed(one).rows, kept)

        trees = tuple(at_moment(number) for number in range(count))
        seen = tuple(
            max(milliseconds_of(part.frames[number % len(part.frames)]) for part in moving) for number in range(count)
        )
        keys = [self._reference_key(tree, at.factor) for tree in trees]
        if form == "files":
            digits = len(str(count))
            return [
                PlannedExtra(
                    file=f"flip-book/{number:0{digits}}.png",
                    kind="flip-book",
                    key=key,
                    size=at.canvas,
                    tree=tree,
                    milliseconds=(time,),
                )
                for number, (tree, key, time) in enumerate(zip(trees, keys, seen, strict=True), 1)
            ]
        key = digest([keys, seen, form]) if all(keys) else ""
        file = f"flip-book{ANIMATED[form]}"
        return [PlannedExtra(file=file, kind="flip-book", key=key, size=at.canvas, frames=trees, milliseconds=seen)]

    def _vector_files(
        self, parts: tuple[PlannedPart, ...], origin: str, stems: Mapping[str, str]
    ) -> list[PlannedExtra]:
        found = []
        here = Box(0, 0, 0, 0)
        for planned in parts:
            part = planned.part
            if self._is_vector(part):
                known = all(layer in self.digests for layer in part.layers)
                said = [_KEYS, _DRAWN, origin, self.illustration.canvas, planned.box, part.offset]
                key = digest([said, self._pieces(part.pieces, part, here)]) if known else ""
                found.append(PlannedExtra(file=stems[part.id] + ".svg", kind="vector", key=key, part=part.id))
        return found

    def _is_vector(self, part: Part) -> bool:
        return len(part.frames) == 1 and all(self._kinds.get(piece.layer) == "vector" for piece in part.pieces)

    def _key_of_all(self, parts: tuple[PlannedPart, ...], at: PlannedScale) -> str:
        """Of everything that a receiver is told, at one scale."""
        keys = [frame.key for image in at.images.values() for frame in image.frames]
        if not all(keys):
            return ""
        rows = [
            [
                one.part.id,
                one.path,
                one.shown,
                one.part.opacity,
                one.part.blend,
                one.part.pivot,
                one.part.parent,
                one.part.depth,
                one.part.role,
            ]
            for one in parts
        ]
        boxes = [[image.cut, image.box, image.turn] for image in at.images.values()]
        groups = [
            [row.name, row.shown, row.opacity, row.blend, row.isolated]
            for _, row in self.arrangement.walk()
            if isinstance(row, PartGroup)
        ]
        files = [image.files for image in at.images.values()]
        return digest(
            [_KEYS, self.illustration.name, self.illustration.canvas, str(at.factor), keys, rows, boxes, groups, files]
        )

    def _reference_key(self, tree: tuple[Row, ...], factor: Fraction) -> str:
        here = Box(0, 0, 0, 0)

        def each(rows: tuple[Row, ...]) -> list[Any]:
            found: list[Any] = []
            for row in rows:
                if not row.shown:
                    continue
                inside = each(row.members) if isinstance(row, PartGroup) else self._pieces(row.pieces, row, here)
                isolated = isinstance(row, PartGroup) and row.isolated
                found.append([row.opacity, row.blend, isolated, isinstance(row, Part) and row.beyond, inside])
            return found

        try:
            said = each(tree)
        except KeyError:
            return ""
        canvas = self.illustration.canvas
        # As with the images: keys of before say nothing of 8 bits.
        deep = [] if self.recipe.images.bits == 8 else [self.recipe.images.bits]
        return digest(
            [
                _KEYS,
                *deep,
                canvas,
                str(factor),
                self.recipe.smooth,
                self.recipe.reference_ground,
                self.illustration.ppi,
                said,
            ]
        )


def _turned_pads(image: PlannedImage, turn: Turn) -> tuple[int, int, int, int]:
    """How far the box of an image reaches beyond its part, left, top, right and bottom, once it is turned."""
    own, box = image.cut, image.box
    pads = (own.left - box.left, own.top - box.top, box.right - own.right, box.bottom - own.bottom)
    if turn.mirrored:
        pads = (pads[2], pads[1], pads[0], pads[3])
    for _ in range(turn.quarters):
        pads = (pads[3], pads[0], pads[1], pads[2])
    return pads


def _carried(arrangement: Arrangement, kept: set[str]) -> dict[str, str]:
    parents = arrangement.parents()
    carriers = ((part, next((row for row in carriers_of(parents, part) if row in kept), None)) for part in kept)
    return {part: carrier for part, carrier in carriers if carrier is not None}


def _kept(rows: tuple[Row, ...], kept: set[str]) -> tuple[Row, ...]:
    result: list[Row] = []
    for row in rows:
        if isinstance(row, PartGroup):
            members = _kept(row.members, kept)
            if members:
                result.append(replace(row, members=members))
        elif row.id in kept:
            result.append(row)
    return tuple(result)
