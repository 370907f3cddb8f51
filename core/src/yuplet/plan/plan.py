"""Everything that a hand-over will write: names, boxes, order, and the tree that puts the picture together again."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from yuplet.arrangement import names
from yuplet.arrangement.stacks import carriers_of
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import NothingToHandOver
from yuplet.geometry import Box, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration
from yuplet.illustration.made import Turn, Turned
from yuplet.parts.part import Part, part_box

MANIFEST = "manifest.json"
TABLE = "places.csv"
REFERENCE = "reference.png"
PARTS = "parts"
CREDITS = "CREDITS.txt"


@dataclass(frozen=True, slots=True)
class PlannedPart:
    """One part to be written: one image, or one for each frame, all as large as the `box` they share.

    `path` is the names of the groups around it and its own name; `order` counts all parts of the package from the back,
    1 first; `shown` is whether the part and every group around it are shown. A part that is the same drawing as an earlier
    one has its image, and `turn` says how that is mirrored and turned to be laid.
    """

    part: Part
    path: tuple[str, ...]
    files: tuple[str, ...]
    box: Box
    order: int
    shown: bool
    turn: Turn | None = None

    @property
    def has_own_image(self) -> bool:
        """Whether its images are written for it."""
        return self.turn is None

    @property
    def file(self) -> str:
        """The image that is seen at rest."""
        return self.files[0]


@dataclass(frozen=True, slots=True)
class Plan:
    """A hand-over of one illustration. `tree` is the arrangement without what is left out or empty.

    `parents` is the part that carries each: of those that are handed over, the nearest. `distance` and `travel` are of the camera.
    """

    title: str
    canvas: Size
    ppi: float | None
    source_sha256: str
    parts: tuple[PlannedPart, ...]
    tree: tuple[Row, ...]
    left_out: tuple[str, ...]
    empty: tuple[str, ...]
    layer_boxes: Mapping[str, Box]
    credit: Credit
    illustration_id: str
    parents: Mapping[str, str]
    distance: float
    travel: float

    @property
    def files(self) -> list[str]:
        """All files of the package, in the order in which they are listed."""
        images = dict.fromkeys(file for planned in self.parts for file in planned.files)
        return [MANIFEST, REFERENCE, TABLE, CREDITS, *images]


def plan_hand_over(
    illustration: Illustration, arrangement: Arrangement, source_sha256: str = "", illustration_id: str = ""
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

    Returns
    -------
    Plan
        File names are `parts/<groups>/<name>.png`, for frames `parts/<groups>/<name>/<number>.png`, unique also where
        letter case does not count.

    Raises
    ------
    NothingToHandOver
        No included part has a visible pixel.
    """
    boxes, arrangement = illustration.boxes, arrangement.settled()
    planned: list[PlannedPart] = []
    left_out: list[str] = []
    empty: list[str] = []
    folders: dict[tuple[str, ...], str] = {(): PARTS}
    used: set[str] = set()
    drawings: dict[str, tuple[PlannedPart, Turn]] = {}
    for around, row in arrangement.walk():
        path = tuple(group.name for group in around)
        if isinstance(row, PartGroup):
            folders[(*(group.id for group in around), row.id)] = _free(
                f"{folders[tuple(group.id for group in around)]}/{row.name}", "", used
            )
            continue
        shown_path = " / ".join((*path, row.name))
        box = part_box(row, boxes, illustration.canvas)
        if not row.included:
            left_out.append(shown_path)
        elif box is None:
            empty.append(shown_path)
        else:
            stem = f"{folders[tuple(group.id for group in around)]}/{row.name}"
            shown = row.shown and all(group.shown for group in around)
            drawing = _drawing(row, box, illustration, boxes)
            first, before = drawings.get(drawing[0], (None, Turn())) if drawing else (None, Turn())
            files, turn = (first.files, before.back.then(drawing[1])) if first and drawing else ((), None)
            files = files or _files(stem, len(row.frames), used)
            planned.append(PlannedPart(row, (*path, row.name), files, box, len(planned) + 1, shown, turn))
            if drawing:
                drawings.setdefault(drawing[0], (planned[-1], drawing[1]))
    if not planned:
        raise NothingToHandOver()
    kept = {item.part.id for item in planned}
    tree = _kept(arrangement.rows, kept)
    return Plan(
        illustration.name,
        illustration.canvas,
        illustration.ppi,
        source_sha256,
        tuple(planned),
        tree,
        tuple(left_out),
        tuple(empty),
        boxes,
        illustration.credit,
        illustration_id,
        _carried(arrangement, kept),
        arrangement.decisions.distance,
        arrangement.decisions.travel,
    )


def _carried(arrangement: Arrangement, kept: set[str]) -> dict[str, str]:
    parents = arrangement.parents()
    carriers = ((part, next((row for row in carriers_of(parents, part) if row in kept), None)) for part in kept)
    return {part: carrier for part, carrier in carriers if carrier is not None}


def _drawing(part: Part, box: Box, illustration: Illustration, boxes: Mapping[str, Box]) -> tuple[str, Turn] | None:
    """The layer that a part is a picture of, and how that is turned; None where it is more than that, or cut off."""
    if len(part.frames) > 1 or not part.is_one_layer:
        return None
    layer = part.pieces[0].layer
    if boxes[layer].moved(*part.offset) != box:
        return None
    by_id = {made.id: made for made in illustration.made}
    turn = Turn()
    while (made := by_id.get(layer)) is not None and isinstance(made.recipe, Turned) and made.of is not None:
        layer, turn = made.of, made.recipe.turn.then(turn)
    return layer, turn


def _files(stem: str, frames: int, used: set[str]) -> tuple[str, ...]:
    if frames == 1:
        return (_free(stem, ".png", used),)
    folder = _free(stem, "", used)
    digits = len(str(frames))
    return tuple(f"{folder}/{number:0{digits}}.png" for number in range(1, frames + 1))


def _free(stem: str, ending: str, used: set[str]) -> str:
    """The stem with the ending, numbered where another file or folder has that name already."""
    candidate, number = stem + ending, 2
    while names.key(candidate) in used:
        candidate, number = f"{stem} {number}{ending}", number + 1
    used.add(names.key(candidate))
    return candidate


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
