"""Recipes: saved ways to hand over. The form as JSON is described in docs/formats/recipe.md and by `yuplet/schemas/recipe.schema.json`."""

import json
import math
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, fields, replace
from fractions import Fraction
from importlib import resources
from typing import Any, Literal, TypeAlias

from yuplet import documents
from yuplet.arrangement import names
from yuplet.errors import RecipeNotUnderstood, shown
from yuplet.geometry import Box, Size
from yuplet.parts.part import Part
from yuplet.paths import path_problem

FORMAT = "yuplet-recipe"
VERSION = 1

Extent: TypeAlias = Literal["trimmed", "canvas", "common"]
Sides: TypeAlias = Literal["any", "even", "power-of-two"]
Under: TypeAlias = Literal["clear", "keep", "bleed"]
Format: TypeAlias = Literal["png", "webp", "avif", "jpeg", "tiff"]
Stored: TypeAlias = Literal["files", "sheets"]
Moving: TypeAlias = Literal["files", "all-files", "grid", "apng", "webp", "gif"]
Effort: TypeAlias = Literal["quick", "normal", "small"]
Bits: TypeAlias = Literal[8, 16]
Colour: TypeAlias = tuple[int, int, int]

OPAQUE = frozenset({"jpeg"})
"""Formats that have no transparency."""
DEEP = frozenset({"png", "tiff"})
"""Formats that can have 16 bits a channel."""
ENDINGS: Mapping[str, str] = {"png": ".png", "webp": ".webp", "avif": ".avif", "jpeg": ".jpg", "tiff": ".tif"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Images:
    """How the image of a part is cut and written.

    `extent` is what it shows: the part alone, the whole canvas, or the box that all parts of the same rule have in common. Alpha up to
    `threshold` (0 to 254) counts as empty when a part is trimmed. `margin` is in pixels of what is written, on each side; `sides` are
    padded at the right and at the bottom. `under` says what colour stands where alpha is 0: none, that of the source, or that of the
    nearest pixel that is seen, up to `reach` pixels away. `effort` is for PNG, `quality` (1 to 100) for what is not `lossless`, and
    `ground` is the colour behind the part in a format without transparency. `bits` are those of a channel: with 16, which PNG and TIFF have, what a source
    has of them is kept; they are those of the picture of the whole as well, and so the same for all parts. `stored` says whether images are files of their own or lie
    together on sheets, and `moving` how the frames of an animated part are kept that is not: as numbered files, equal frames in one or each in its own
    (`all-files`), in a grid of equal cells, or as one animated image.
    """

    extent: Extent = "trimmed"
    threshold: int = 0
    margin: int = 0
    sides: Sides = "any"
    under: Under = "clear"
    reach: int = 4
    format: Format = "png"
    effort: Effort = "normal"
    lossless: bool = True
    quality: int = 90
    ground: Colour = (255, 255, 255)
    bits: Bits = 8
    stored: Stored = "files"
    moving: Moving = "files"

    @property
    def ending(self) -> str:
        """The ending of the file's name."""
        return ENDINGS[self.format]

    @property
    def is_exact(self) -> bool:
        """Whether the pixels come back as they are: JPEG never does, WebP and AVIF where that is asked for."""
        return self.format in ("png", "tiff") or (self.format == "webp" and self.lossless)

    def is_exact_for(self, frames: int) -> bool:
        """The same for a part of so many frames, which may be one animated image."""
        if frames == 1 or self.stored == "sheets" or self.moving in ("files", "all-files", "grid"):
            return self.is_exact
        return self.moving == "apng" or (self.moving == "webp" and self.lossless)

    def padded(self, box: Box) -> Box:
        """A box with the margin around it and its sides padded.

        >>> Images(margin=1, sides="even").padded(Box(10, 10, 13, 14))
        Box(left=9, top=9, right=15, bottom=15)
        """
        width, height = (self._side(side + 2 * self.margin) for side in box.size)
        return Box.at(box.left - self.margin, box.top - self.margin, Size(width, height))

    def _side(self, side: int) -> int:
        if self.sides == "even":
            return side + side % 2
        return 1 << (side - 1).bit_length() if self.sides == "power-of-two" else side


@dataclass(frozen=True, slots=True)
class ImagesFor:
    """Other settings for some parts than for the rest: `of` has names or paths of parts and groups, or roles as 'role:ground'."""

    of: tuple[str, ...]
    images: Mapping[str, Any]

    def takes(self, path: Sequence[str], part: Part) -> bool:
        """Whether a part, by the names of the groups around it and its own, is meant."""
        joined = "/".join(path)
        return any(
            one == f"role:{part.role}" or one in path or joined == one or joined.startswith(f"{one}/")
            for one in self.of
        )


@dataclass(frozen=True, slots=True)
class Scale:
    """One size to hand over at: a `factor`, so many `ppi`, or so many pixels for the `longest` side of the canvas."""

    by: Literal["factor", "ppi", "longest"] = "factor"
    value: float = 1.0

    def of(self, canvas: Size, ppi: float | None) -> Fraction:
        """The factor for a canvas; without a known `ppi` there are 96 pixels to the inch.

        >>> Scale("longest", 512).of(Size(2048, 1024), None)
        Fraction(1, 4)
        """
        value = Fraction(repr(self.value))
        if self.by == "factor":
            return value
        return value / (max(canvas) if self.by == "longest" else Fraction(repr(ppi or 96.0)))

    @property
    def label(self) -> str:
        """What tells it from others in a file's name.

        >>> Scale("factor", 0.5).label, Scale("factor", 2).label, Scale("longest", 2048).label
        ('0.5x', '2x', '2048px')
        """
        return f"{self.value:g}" + {"factor": "x", "ppi": "ppi", "longest": "px"}[self.by]


PieceKind: TypeAlias = Literal["text", "illustration", "group", "look", "part", "side", "number", "frame", "scale"]


@dataclass(frozen=True, slots=True)
class NamePiece:
    """One piece of a file's name. `text` is for free text; a number begins with `start`, has at least `width` digits, and is counted
    `counted` from the back or the front, `within` all parts or the group.
    """

    piece: PieceKind
    text: str = ""
    start: int = 1
    width: int = 1
    counted: Literal["back", "front"] = "back"
    within: Literal["all", "group"] = "all"


@dataclass(frozen=True, slots=True)
class Names:
    """How files are called and which folders they lie in.

    `folders` are 'nested' as the groups are, 'flat', or by 'looks': one for each look, and what looks share beside them. `folder` is the
    one around all of them. `letters` and `space` (what stands for a space) hold for files and folders.
    """

    pieces: tuple[NamePiece, ...] = (NamePiece("part"),)
    folders: Literal["nested", "flat", "looks"] = "nested"
    folder: str = "parts"
    letters: Literal["as named", "lower", "upper"] = "as named"
    space: Literal[" ", "-", "_", ""] = " "

    def has(self, kind: PieceKind) -> bool:
        """Whether names hold such a piece."""
        return any(one.piece == kind for one in self.pieces)

    def spelled(self, text: str) -> str:
        """A text in the letters that are wanted."""
        cased = {"as named": text, "lower": text.lower(), "upper": text.upper()}[self.letters]
        return cased.replace(" ", self.space)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sheets:
    """How sheets are laid out. A grid has so many `columns`, or as many as make it nearly square. `spacing` is between images, and
    `repeat_edge` is how far the outermost pixels of each are repeated around it; both in pixels. On packed sheets images may be turned by
    a quarter where `turn` is true. No side is longer than `longest`; `power_of_two` and `square` hold for packed sheets. Where `shared` is true,
    illustrations that are handed over together have packed sheets of all their images beside the packages.
    """

    columns: int | None = None
    spacing: int = 0
    repeat_edge: int = 0
    turn: bool = False
    longest: int = 4096
    power_of_two: bool = False
    square: bool = False
    shared: bool = False


@dataclass(frozen=True, slots=True)
class Tolerance:
    """How much a picture that is put together again may differ where it cannot be exact: the `largest` difference of a level (of 255),
    and the `mean` over all pixels and channels; None: as usual for the format, its quality and the scale (`plan.tolerance`). Outputs that
    lose nothing are held to 0 all the same.
    """

    largest: int | None = None
    mean: float | None = None


@dataclass(frozen=True, slots=True)
class Limits:
    """What a receiver takes: pixels of the `longest` side of an image, how many files (`count`), and `bytes` in all. None: anything."""

    longest: int | None = None
    count: int | None = None
    bytes: int | None = None


@dataclass(frozen=True, slots=True)
class Model:
    """A figure in space: so many pixels make a unit, and parts stand by their depth or in even steps; each lies a `step` before the one
    behind it, so that their order is kept. A perspective `camera` stands where that of the illustration does, and parts at depths are as
    much larger or smaller as makes them look as drawn from there; with an orthographic one all have their own size.
    """

    pixels_per_unit: float = 100.0
    z: Literal["depth", "order"] = "depth"
    step: float = 0.001
    camera: Literal["perspective", "orthographic"] = "perspective"


@dataclass(frozen=True, slots=True)
class Places:
    """A table of places: of the top left corner or the centre of each part (`origin`), counted down or up from a `corner` of the canvas (the upper
    left one, or the lower left one where y goes `up`) or from its `centre` (`zero`), in pixels or as fractions of the canvas.
    """

    format: Literal["csv", "json"] = "json"
    origin: Literal["top-left", "centre"] = "top-left"
    up: bool = False
    unit: Literal["pixels", "fractions"] = "pixels"
    zero: Literal["corner", "centre"] = "corner"

    @property
    def file(self) -> str:
        """What it is called.

        >>> Places("json", "centre", True).file, Places("csv", zero="centre").file
        ('places-centre-up.json', 'places-top-left-down-from-centre.csv')
        """
        said = [self.origin, "up" if self.up else "down"]
        said += ["from-centre"] if self.zero == "centre" else []
        said += ["fractions"] if self.unit == "fractions" else []
        return f"places-{'-'.join(said)}.{self.format}"


@dataclass(frozen=True, slots=True)
class Combination:
    """A flat picture of the figure in one form: in a `look`, with the member of each set of `alternates` that is named, without what is
    `hidden`. All by names; what is not said is as it is at rest.
    """

    name: str
    look: str | None = None
    alternates: Mapping[str, str] = field(default_factory=dict)
    hidden: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Extras:
    """What is written beside the images: a file of `layers` for painting on (OpenRaster), all parts in one `openexr` file, a `model` in space (glTF), a `page` (HTML and CSS), a
    `scene` (one SVG of all parts), `vector` parts as SVG each, on the whole canvas or in their own box, or as symbols of one SVG, tables of `places`, an `overview` of all parts, flat pictures of `combinations`,
    and the whole picture frame by frame (`flip_book`), the ground in each. All at the main scale.
    """

    layers: bool = False
    openexr: bool = False
    model: Model | None = None
    page: bool = False
    scene: bool = False
    vector: Literal["none", "canvas", "box", "symbols"] = "none"
    places: tuple[Places, ...] = ()
    overview: tuple[Literal["png", "pdf"], ...] = ()
    combinations: tuple[Combination, ...] = ()
    flip_book: Literal["none", "files", "apng", "webp", "gif"] = "none"


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """A saved way to hand over. `purpose` says in a sentence what it is for; `smooth` is off for pixel art."""

    name: str = "Trimmed parts"
    purpose: str = ""
    images: Images = Images()
    images_for: tuple[ImagesFor, ...] = ()
    scales: tuple[Scale, ...] = (Scale(),)
    names: Names = Names()
    smooth: bool = True
    tolerance: Tolerance = Tolerance()
    limits: Limits = Limits()
    sheets: Sheets = Sheets()
    extras: Extras = Extras()
    reference_ground: Colour | None = None

    def images_of(self, path: Sequence[str], part: Part) -> tuple[Images, int]:
        """How a part is written, and the number of the last of `images_for` that holds for it (0: none)."""
        found, number = self.images, 0
        for at, one in enumerate(self.images_for, 1):
            if one.takes(path, part):
                found, number = replace(found, **_values(one.images)), at
        return found, number


def scaled(box: Box, factor: Fraction) -> Box:
    """A box of the canvas rounded outwards on the grid of a scale.

    >>> scaled(Box.at(501, 61, Size(121, 81)), Fraction(1, 2)).as_xywh()
    [250, 30, 61, 41]
    """
    return Box(
        math.floor(box.left * factor),
        math.floor(box.top * factor),
        math.ceil(box.right * factor),
        math.ceil(box.bottom * factor),
    )


def scaled_canvas(canvas: Size, factor: Fraction) -> Size:
    """How large a canvas is at a scale: no pixel is lost.

    >>> scaled_canvas(Size(1921, 1080), Fraction(1, 2))
    Size(width=961, height=540)
    """
    return Size(math.ceil(canvas.width * factor), math.ceil(canvas.height * factor))


def from_json(value: Any) -> Recipe:
    """Read a recipe. Raises `RecipeNotUnderstood`, which says where in it what is wrong."""
    wrong = documents.fault(value, "recipe")
    if wrong is not None:
        raise RecipeNotUnderstood(*wrong)
    said = dict(value.get("names", {}))
    if "pieces" in said:
        said["pieces"] = tuple(NamePiece(**_piece(one)) for one in said["pieces"])
    scales = tuple(Scale(by, size) for one in value.get("scales", [{"factor": 1}]) for by, size in one.items())
    recipe = Recipe(
        name=value["name"],
        purpose=value.get("purpose", ""),
        images=Images(**_values(value.get("images", {}))),
        images_for=tuple(ImagesFor(tuple(one["of"]), one["images"]) for one in value.get("images_for", [])),
        scales=scales,
        names=Names(**said),
        smooth=value.get("smooth", True),
        tolerance=_tolerance(value.get("tolerance", {})),
        limits=Limits(**value.get("limits", {})),
        sheets=Sheets(**value.get("sheets", {})),
        extras=_extras(value.get("beside", {})),
        reference_ground=_colour(value.get("reference", {}).get("ground")),
    )
    _check(recipe)
    return recipe


def _tolerance(said: Mapping[str, Any]) -> Tolerance:
    # What every recipe had until the usual ones were measured; nobody chose it.
    return Tolerance() if said == {"largest": 128, "mean": 2.5} else Tolerance(**said)


def to_json(recipe: Recipe) -> dict[str, Any]:
    """Write a recipe out in full: the inverse of `from_json`."""
    said = asdict(recipe.names)
    said["pieces"] = [_said(one) for one in recipe.names.pieces]
    value: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "name": recipe.name,
        "purpose": recipe.purpose,
        "images": asdict(recipe.images),
        "images_for": [{"of": list(one.of), "images": dict(one.images)} for one in recipe.images_for],
        "scales": [{one.by: one.value} for one in recipe.scales],
        "names": said,
        "smooth": recipe.smooth,
        "tolerance": asdict(recipe.tolerance),
        "limits": asdict(recipe.limits),
        "sheets": asdict(recipe.sheets),
        "beside": asdict(recipe.extras),
        "reference": {"ground": recipe.reference_ground},
    }
    plain: dict[str, Any] = json.loads(json.dumps(value))
    return plain


def shipped() -> dict[str, Recipe]:
    """The recipes that come with Yuplet, by their file names."""
    folder = resources.files("yuplet.plan") / "recipes"
    files = sorted((file for file in folder.iterdir() if file.name.endswith(".json")), key=lambda file: file.name)
    return {file.name: from_json(json.loads(file.read_text("utf-8"))) for file in files}


def _check(recipe: Recipe) -> None:
    """What a schema cannot say."""
    combined = [names.key(one.name) for one in recipe.extras.combinations]
    if len(set(combined)) < len(combined):
        raise RecipeNotUnderstood("beside.combinations", "two of them have the same name")
    for one in recipe.extras.combinations:
        if (reason := names.problem(one.name)) is not None:
            raise RecipeNotUnderstood("beside.combinations", f"the name '{one.name}' {reason}")
    if (reason := path_problem(recipe.names.folder)) is not None:
        raise RecipeNotUnderstood("names.folder", f"'{shown(recipe.names.folder)}' {reason}")
    files = [one.file for one in recipe.extras.places]
    if len(set(files)) < len(files):
        raise RecipeNotUnderstood("beside.places", "the same table is there twice")
    all_images = [recipe.images, *(replace(recipe.images, **_values(one.images)) for one in recipe.images_for)]
    if any(one.bits != recipe.images.bits for one in all_images):
        raise RecipeNotUnderstood("images_for", "bits are the same for all parts")
    if recipe.images.bits == 16 and any(
        one.format not in DEEP or one.moving not in ("files", "all-files", "grid") for one in all_images
    ):
        raise RecipeNotUnderstood(
            "images", "16 bits a channel are written as PNG or TIFF, and not as an animated image"
        )
    labels = [scale.label for scale in recipe.scales]
    if len(set(labels)) < len(labels):
        raise RecipeNotUnderstood("scales", "the same scale is there twice")
    if not recipe.smooth:
        for scale in recipe.scales:
            if scale.by != "factor" or not float(scale.value).is_integer():
                said = f"pixel art is enlarged by whole factors only, not by {scale.label}"
                raise RecipeNotUnderstood("scales", said)
        if any(not images.is_exact or images.moving == "gif" for images in all_images):
            said = "pixel art is written without loss only: as PNG, TIFF or lossless WebP, and not as GIF"
            raise RecipeNotUnderstood("images", said)


def _extras(said: Mapping[str, Any]) -> Extras:
    model = said.get("model")
    return Extras(
        layers=said.get("layers", False),
        openexr=said.get("openexr", False),
        model=None if model is None else Model(**model),
        page=said.get("page", False),
        scene=said.get("scene", False),
        vector=said.get("vector", "none"),
        places=tuple(Places(**one) for one in said.get("places", ())),
        overview=tuple(said.get("overview", ())),
        combinations=tuple(
            Combination(**{**one, "hidden": tuple(one.get("hidden", ()))}) for one in said.get("combinations", ())
        ),
        flip_book=said.get("flip_book", "none"),
    )


def _values(said: Mapping[str, Any]) -> dict[str, Any]:
    return {name: _colour(value) if name == "ground" else value for name, value in said.items()}


def _colour(value: Sequence[int] | None) -> Colour | None:
    return None if value is None else (value[0], value[1], value[2])


def _piece(said: Mapping[str, Any]) -> dict[str, Any]:
    return {"piece": "text", **said}


def _said(piece: NamePiece) -> dict[str, Any]:
    if piece.piece == "text":
        return {"text": piece.text}
    if piece.piece != "number":
        return {"piece": piece.piece}
    return {one.name: getattr(piece, one.name) for one in fields(piece) if one.name != "text"}
