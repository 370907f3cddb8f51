"""Everything that a hand-over will write: names, boxes, order, and the tree that puts the picture together again."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from yuplet.arrangement import names
from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.errors import NothingToHandOver
from yuplet.geometry import Box, Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration
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
    1 first; `shown` is whether the part and every group around it are shown.
    """

    part: Part
    path: tuple[str, ...]
    files: tuple[str, ...]
    box: Box
    order: int
    shown: bool

    @property
    def file(self) -> str:
        """The image that is seen at rest."""
        return self.files[0]


@dataclass(frozen=True, slots=True)
class Plan:
    """A hand-over of one illustration. `tree` is the arrangement without what is left out or empty."""

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

    @property
    def files(self) -> list[str]:
        """All files of the package, in the order in which they are listed."""
        return [MANIFEST, REFERENCE, TABLE, CREDITS, *(file for planned in self.parts for file in planned.files)]


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
    boxes = illustration.boxes
    planned: list[PlannedPart] = []
    left_out: list[str] = []
    empty: list[str] = []
    folders: dict[tuple[str, ...], str] = {(): PARTS}
    used: set[str] = set()
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
            files = _files(stem, len(row.frames), used)
            planned.append(PlannedPart(row, (*path, row.name), files, box, len(planned) + 1, shown))
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
    )


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
