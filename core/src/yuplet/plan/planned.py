"""What a plan is: values that say which files a hand-over will write, from what, and where everything in them lies."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Literal, NamedTuple, TypeAlias

from yuplet.arrangement.tree import Row
from yuplet.errors import NamesClash, PlanError
from yuplet.geometry import Box, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.derived import Turn
from yuplet.parts.part import Part
from yuplet.plan.recipe import Images, Places, Recipe, Scale

MANIFEST = "manifest.json"
CREDITS = "CREDITS.txt"


@dataclass(frozen=True, slots=True, kw_only=True)
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


class Spot(NamedTuple):
    """Where an image lies on a sheet, and whether it is turned there by a quarter, clockwise. The edge that is repeated lies around it."""

    x: int
    y: int
    turned: bool = False


@dataclass(frozen=True, slots=True)
class PlannedFrame:
    """Where the picture of one frame is kept: in a file of its own, on a sheet at a `spot`, or as a `moment` of an animated image.

    `key` tells from what it is computed: what has an equal key has equal pixels.
    """

    file: str
    key: str
    spot: Spot | None = None
    moment: int | None = None

    @property
    def id(self) -> str:
        """What tells it from all other pictures of the package."""
        if self.spot is not None:
            return f"{self.file}#{self.spot.x},{self.spot.y}"
        return self.file if self.moment is None else f"{self.file}@{self.moment}"


@dataclass(frozen=True, slots=True)
class PlannedImage:
    """The image of one part at one scale, or one for each frame, all as large as the `box`; in pixels of the scaled canvas.

    `cut` is the part's own box within it, rounded outwards. A part that is the same drawing as an earlier one has the frames of that, and
    `turn` says how they are mirrored and turned to be laid.
    """

    frames: tuple[PlannedFrame, ...]
    cut: Box
    box: Box
    turn: Turn | None

    @property
    def is_own(self) -> bool:
        """Whether its pictures are written for it."""
        return self.turn is None

    @property
    def files(self) -> tuple[str, ...]:
        """The files that it is in."""
        return tuple(dict.fromkeys(frame.file for frame in self.frames))

    @property
    def file(self) -> str:
        """The file in which it is seen at rest."""
        return self.frames[0].file


@dataclass(frozen=True, slots=True)
class Member:
    """One picture on a sheet: which frame of which part, and where it lies."""

    part: str
    index: int
    frame: PlannedFrame


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedSheet:
    """A file that holds several pictures: a `grid` of equal cells, a `packed` sheet, or an `animation`; each stored picture once.

    `table` is the file that tells the places on a sheet; empty for an animation, whose members are its moments in order, each seen for so
    many `milliseconds`.
    """

    file: str
    table: str
    kind: Literal["grid", "packed", "animation"]
    size: Size
    members: tuple[Member, ...]
    images: Images
    key: str
    columns: int = 0
    milliseconds: tuple[int, ...] = ()
    loops: int = 0


BesideKind: TypeAlias = Literal[
    "layers",
    "model",
    "page",
    "style",
    "places",
    "overview",
    "combination",
    "scene",
    "vector",
    "symbols",
    "flip-book",
    "openexr",
]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedExtra:
    """A file beside the images; `tree` is what a combination shows, `places` how a table counts, `part` what one of vector art
    shows, and `frames` what each moment of an animated flip-book does, for so many `milliseconds`."""

    file: str
    kind: BesideKind
    key: str
    size: Size | None = None
    tree: tuple[Row, ...] = ()
    places: Places | None = None
    part: str | None = None
    frames: tuple[tuple[Row, ...], ...] = ()
    milliseconds: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class PlannedScale:
    """Everything at one scale: its canvas, the image of each part by its id, the sheets, and the files that describe it."""

    scale: Scale
    factor: Fraction
    canvas: Size
    images: Mapping[str, PlannedImage]
    sheets: tuple[PlannedSheet, ...]
    manifest: str
    reference: str
    reference_key: str
    table: str


FileKind: TypeAlias = Literal[
    "image", "sheet", "cells", "reference", "manifest", "table", "credits",
    "layers", "model", "page", "style", "places", "overview", "combination", "scene", "vector", "symbols", "flip-book",
    "openexr",
]  # fmt: skip


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
    """Something to know before a hand-over: an error stops it. `parts` and `files` are those concerned; `fits` is the factor at which an image
    would be small enough for the receiver.
    """

    kind: Literal[
        "path", "clash", "budget", "transparent", "beyond", "few colours", "limit", "not shown", "no such name"
    ]
    severity: Literal["error", "warning"]
    sentence: str
    parts: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    fits: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
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
    extras: tuple[PlannedExtra, ...]
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
    def is_deep(self) -> bool:
        """Whether images have 16 bits a channel."""
        return self.recipe.images.bits == 16

    @property
    def main(self) -> PlannedScale:
        """The scale that the first manifest describes."""
        return self.scales[0]

    def ppi_at(self, at: PlannedScale) -> float | None:
        """Pixels to the inch at a scale, where that is known."""
        return self.ppi and float(self.ppi * at.factor)

    @property
    def listed(self) -> list[PlannedFile]:
        """All files of the package, in the order in which they are listed; images back to front."""
        found = [PlannedFile(one.manifest, "manifest", one.scale.label) for one in self.scales]
        found.append(PlannedFile(CREDITS, "credits"))
        for one in self.scales:
            label = one.scale.label
            found.append(PlannedFile(one.reference, "reference", label, one.canvas, (), one.reference_key))
            found.append(PlannedFile(one.table, "table", label))
        label = self.main.scale.label
        found += [PlannedFile(one.file, one.kind, label, one.size, (), one.key) for one in self.extras]
        for one in self.scales:
            label = one.scale.label
            turned: dict[str, list[str]] = {}
            for row, image in one.images.items():
                if not image.is_own:
                    turned.setdefault(image.frames[0].id, []).append(row)
            for row, image in one.images.items():
                if image.is_own:
                    shown = (row, *turned.get(image.frames[0].id, ()))
                    own = [frame for frame in image.frames if frame.id == frame.file]
                    size = image.box.size
                    found += [PlannedFile(frame.file, "image", label, size, shown, frame.key) for frame in own]
            for sheet in one.sheets:
                shown = tuple(dict.fromkeys(member.part for member in sheet.members))
                kind: FileKind = "image" if sheet.kind == "animation" else "sheet"
                found.append(PlannedFile(sheet.file, kind, label, sheet.size, shown, sheet.key))
                if sheet.table:
                    found.append(PlannedFile(sheet.table, "cells", label))
        return found

    @property
    def files(self) -> list[str]:
        """The names of all files."""
        return [file.name for file in self.listed]

    def require_within_budget(self) -> None:
        """Raise `PlanError` where what is planned is too large to be made at all."""
        for note in self.notes:
            if note.kind == "budget":
                raise PlanError(note.sentence)

    def require_no_errors(self) -> None:
        """Raise the first error there is, as `NamesClash` or another `PlanError`."""
        errors = [note for note in self.notes if note.severity == "error"]
        if errors and errors[0].kind == "clash" and len(errors[0].parts) == 2:
            more = sum(note.kind == "clash" for note in errors) - 1
            labels = {planned.part.id: planned.label for planned in self.parts}
            one, other = (labels[row] for row in errors[0].parts)
            raise NamesClash(errors[0].files[0], (one, other), more)
        if errors:
            raise PlanError(errors[0].sentence)
