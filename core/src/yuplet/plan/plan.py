"""Everything that a hand-over will write: names, boxes, order, and the tree that puts the picture together again."""

import hashlib
import json
import math
from collections.abc import Iterable, Mapping
from dataclasses import asdict, dataclass, field, replace
from fractions import Fraction
from typing import Any, Literal, TypeAlias

from yuplet.arrangement.stacks import carriers_of
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import NamesClash, NothingToHandOver, PlanError
from yuplet.geometry import Box, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration
from yuplet.illustration.made import Turn, Turned
from yuplet.parts.part import Part, Piece, part_box
from yuplet.plan.measuring import Measured
from yuplet.plan.naming import Naming, clashes, files_of, named
from yuplet.plan.recipe import OPAQUE, Images, Recipe, Scale, scaled, scaled_canvas

MANIFEST = "manifest.json"
CREDITS = "CREDITS.txt"

_KEYS = "yuplet 1"
"""Changes when the same description gives other bytes, so that files of an older version are written anew."""


@dataclass(frozen=True, slots=True)
class PlannedPart:
    """One part to be written.

    `path` is the names of the groups around it and its own name; `order` counts all parts of the package from the back, 1 first;
    `shown` is whether the part and every group around it are shown; `box` is around all of its frames, at scale 1. `images` says how it is
    written; what has the same `rule` shares a common box, where that is wanted.
    """

    part: Part
    path: tuple[str, ...]
    order: int
    shown: bool
    box: Box
    images: Images
    rule: int

    @property
    def label(self) -> str:
        """What it is called where somebody reads it."""
        return " / ".join(self.path)


@dataclass(frozen=True, slots=True)
class PlannedImage:
    """The image of one part at one scale, or one for each frame, all as large as the `box`; in pixels of the scaled canvas.

    `cut` is the part's own box within it, rounded outwards. A part that is the same drawing as an earlier one has the files of that, and
    `turn` says how they are mirrored and turned to be laid. `keys` tell from what each is computed: what has an equal key has equal bytes.
    """

    files: tuple[str, ...]
    cut: Box
    box: Box
    turn: Turn | None
    keys: tuple[str, ...]

    @property
    def is_own(self) -> bool:
        """Whether its files are written for it."""
        return self.turn is None

    @property
    def file(self) -> str:
        """The image that is seen at rest."""
        return self.files[0]


@dataclass(frozen=True, slots=True)
class PlannedScale:
    """Everything at one scale: its canvas, the image of each part by its id, and the files that describe it."""

    scale: Scale
    factor: Fraction
    canvas: Size
    images: Mapping[str, PlannedImage]
    manifest: str
    reference: str
    reference_key: str
    table: str


FileKind: TypeAlias = Literal["image", "reference", "manifest", "table", "credits"]


@dataclass(frozen=True, slots=True)
class PlannedFile:
    """One file of a package: what it is, at which scale (its label), its size in pixels where it is a picture, the parts that it shows and
    the key of what it is computed from (empty: it is always made anew).
    """

    name: str
    kind: FileKind
    scale: str = ""
    size: Size | None = None
    parts: tuple[str, ...] = ()
    key: str = ""


@dataclass(frozen=True, slots=True)
class PlanNote:
    """Something to know before a hand-over: an error stops it. `parts` and `files` are those concerned."""

    kind: Literal["clash", "transparent", "beyond", "limit"]
    severity: Literal["error", "warning"]
    sentence: str
    parts: tuple[str, ...] = ()
    files: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Plan:
    """A hand-over of one illustration. `tree` is the arrangement without what is left out or empty.

    `parents` is the part that carries each: of those that are handed over, the nearest. `distance` and `travel` are of the camera.
    `drawn_by` is what the reader of the source calls those layers that can be drawn anew at any scale, by their ids.
    """

    title: str
    recipe: Recipe
    canvas: Size
    ppi: float | None
    source_sha256: str
    parts: tuple[PlannedPart, ...]
    scales: tuple[PlannedScale, ...]
    tree: tuple[Row, ...]
    left_out: tuple[str, ...]
    empty: tuple[str, ...]
    layer_boxes: Mapping[str, Box]
    drawn_by: Mapping[str, str]
    credit: Credit
    illustration_id: str
    parents: Mapping[str, str]
    distance: float
    travel: float
    notes: tuple[PlanNote, ...] = field(default=())

    @property
    def main(self) -> PlannedScale:
        """The scale that the first manifest describes."""
        return self.scales[0]

    @property
    def listed(self) -> list[PlannedFile]:
        """All files of the package, in the order in which they are listed; images back to front."""
        found = [PlannedFile(one.manifest, "manifest", one.scale.label) for one in self.scales]
        found.append(PlannedFile(CREDITS, "credits"))
        for one in self.scales:
            label = one.scale.label
            found.append(PlannedFile(one.reference, "reference", label, one.canvas, (), one.reference_key))
            found.append(PlannedFile(one.table, "table", label))
        for one in self.scales:
            turned: dict[str, list[str]] = {}
            for row, image in one.images.items():
                if not image.is_own:
                    turned.setdefault(image.file, []).append(row)
            for row, image in one.images.items():
                if image.is_own:
                    shown = (row, *turned.get(image.file, ()))
                    pairs = zip(image.files, image.keys, strict=True)
                    size = image.box.size
                    found += [PlannedFile(file, "image", one.scale.label, size, shown, key) for file, key in pairs]
        return found

    @property
    def files(self) -> list[str]:
        """The names of all files."""
        return [file.name for file in self.listed]

    def require_no_errors(self) -> None:
        """Raise the first error there is, as `NamesClash` or another `PlanError`."""
        errors = [note for note in self.notes if note.severity == "error"]
        if errors and errors[0].kind == "clash":
            more = sum(note.kind == "clash" for note in errors) - 1
            labels = {planned.part.id: planned.label for planned in self.parts}
            one, other = (labels[row] for row in errors[0].parts)
            raise NamesClash(errors[0].files[0], (one, other), more)
        if errors:
            raise PlanError(errors[0].sentence)


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
    return Plan(
        illustration.name,
        recipe,
        illustration.canvas,
        illustration.ppi,
        source_sha256,
        parts,
        scales,
        tree,
        tuple(planner.left_out),
        tuple(planner.empty),
        planner.boxes,
        {layer.id: layer.source for layer in illustration.leaves() if layer.kind == "vector" and layer.source},
        illustration.credit,
        illustration_id,
        _carried(arrangement, kept),
        arrangement.decisions.distance,
        arrangement.decisions.travel,
        tuple(planner.notes(parts, scales)),
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
                found.append(PlannedPart(part, path, len(found) + 1, shown, box, images, rule))
        return tuple(found)

    def scales(self, parts: tuple[PlannedPart, ...], tree: tuple[Row, ...]) -> tuple[PlannedScale, ...]:
        """Everything at each scale; what belongs to another than the first is told by its label."""
        recipe, illustration = self.recipe, self.illustration
        around = {part.id: groups for groups, part in self.arrangement.parts()}
        naming = Naming(
            recipe.names,
            illustration.name,
            named((around[one.part.id], one.part) for one in parts),
            self.arrangement.decisions.sides,
        )
        found = []
        for number, scale in enumerate(recipe.scales):
            factor = scale.of(illustration.canvas, illustration.ppi)
            suffix = f"-{scale.label}" if number else ""
            folder = recipe.names.folder + ("" if recipe.names.has("scale") else suffix)
            stems = {one.part.id: naming.stem(one.part.id, scale.label, folder) for one in parts}
            canvas = scaled_canvas(illustration.canvas, factor)
            images = self._images(parts, factor, canvas, stems)
            key = self._reference_key(tree, factor)
            names = (f"manifest{suffix}.json", f"reference{suffix}.png", key, f"places{suffix}.csv")
            found.append(PlannedScale(scale, factor, canvas, images, *names))
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
                found[one.part.id] = PlannedImage(first.files, own, box, turn, first.keys)
                continue
            if images.extent == "canvas":
                own, box = own.meet(whole), replace(images, margin=0).padded(whole)
            else:
                box = images.padded(common[one.rule] if images.extent == "common" else own)
            files = files_of(stems[one.part.id], images.ending, len(one.part.frames))
            image = PlannedImage(files, own, box, None, self._keys(one, own, box, factor))
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
        while (made := self._made.get(layer)) is not None and isinstance(made.recipe, Turned) and made.of is not None:
            layer, turn = made.of, made.recipe.turn.then(turn)
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

    def _keys(self, planned: PlannedPart, own: Box, box: Box, factor: Fraction) -> tuple[str, ...]:
        part = planned.part
        if any(layer in self.boxes and layer not in self.digests for layer in part.layers):
            return ("",) * len(part.frames)
        # Where the grid of a scale does not fall on that of the canvas, pixels depend on the place as well.
        origin = planned.box if factor.denominator == 1 else Box(0, 0, 0, 0)
        settings = {
            name: value
            for name, value in asdict(planned.images).items()
            if name not in ("extent", "margin", "sides", "threshold")
        }
        at = (own.left - box.left, own.top - box.top, *own.size, *box.size)
        ppi = self.illustration.ppi and float(self.illustration.ppi * factor)
        rest = [_KEYS, settings, at, str(factor), self.recipe.smooth, ppi, planned.box.moved(-origin.left, -origin.top)]
        return tuple(_digest([rest, self._pieces(frame.pieces, part, origin)]) for frame in part.frames)

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
        return _digest(
            [_KEYS, canvas, str(factor), self.recipe.smooth, self.recipe.reference_ground, self.illustration.ppi, said]
        )

    def notes(self, parts: tuple[PlannedPart, ...], scales: tuple[PlannedScale, ...]) -> list[PlanNote]:
        """What to know before anything is written."""
        labels = {one.part.id: one.label for one in parts}
        # Images of one part at two scales, which have one owner, can clash all the same.
        owners = [
            (file, f"{row}\0{at.scale.label}")
            for at in scales
            for row, image in at.images.items()
            if image.is_own
            for file in image.files
        ]
        found = []
        for file, pair in clashes(owners).items():
            one_of, other = (owner.split("\0")[0] for owner in pair)
            said = f"'{labels[one_of]}' and '{labels[other]}' would both be written as '{file}'."
            found.append(PlanNote("clash", "error", said, (one_of, other), (file,)))
        for one in parts:
            if one.images.format in OPAQUE and not self._is_opaque(one.part.id):
                said = f"'{one.label}' has transparency, and {one.images.format.upper()} has none: its ground will be seen."
                found.append(PlanNote("transparent", "warning", said, (one.part.id,)))
            if one.images.extent == "canvas" and one.box.meet(Box(0, 0, *self.illustration.canvas)) != one.box:
                said = f"'{one.label}' goes on beyond the canvas and will be cut at its edge. Use a common box to keep all of it."
                found.append(PlanNote("beyond", "warning", said, (one.part.id,)))
        return [*found, *self._limits(parts, scales)]

    def _is_opaque(self, part: str) -> bool:
        known = self.measured.get(part)
        return known is not None and known.opaque is True

    def _limits(self, parts: tuple[PlannedPart, ...], scales: tuple[PlannedScale, ...]) -> list[PlanNote]:
        limits, found = self.recipe.limits, []
        labels = {one.part.id: one.label for one in parts}
        if limits.longest is not None:
            for one in scales:
                for row, image in one.images.items():
                    longest = max(image.box.size)
                    if longest > limits.longest:
                        fits = math.floor(1000 * limits.longest / longest * one.factor) / 1000
                        said = (
                            f"'{labels[row]}' is {image.box.width} × {image.box.height} px at {one.scale.label}; the receiver takes"
                            f" up to {limits.longest} px. It would fit at {fits:.3f} of the size."
                        )
                        found.append(PlanNote("limit", "error", said, (row,), image.files))
        if limits.count is not None:
            count = len({file for one in scales for image in one.images.values() for file in image.files})
            if count > limits.count:
                said = f"There are {count:,} images; the receiver takes up to {limits.count:,}."
                found.append(PlanNote("limit", "error", said))
        return found


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


def _digest(value: Any) -> str:
    return hashlib.sha256(json.dumps(value).encode()).hexdigest()[:32]
