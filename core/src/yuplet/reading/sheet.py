"""Sheets of frames: cutting one, and noticing a cut that cannot be meant.

Common practice, no published source: cells are equal, in rows from the top left corner, with a margin around all and spacing
between two.
"""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from yuplet.errors import ChoiceError
from yuplet.geometry import Box, Size
from yuplet.pixels import Picture
from yuplet.reading.choices import MAX_CELLS, SheetCut

_MOST = 64
"""Columns or rows that are tried for a proposal."""


_LEAST_CELLS = 3
_MOST_PIXELS = 20_000_000
_ABOUT = 0.4
"""The share by which drawings of frames differ in size at the most, and, halved, in their place."""


@dataclass(frozen=True, slots=True)
class SheetFinding:
    """Something about a cut that an artist should look at: a cell (counted from 1 in reading order), or none for the whole."""

    kind: Literal["cut through", "empty", "outside"]
    cell: int | None
    sentence: str


def cut_sheet(picture: Picture, cut: SheetCut, what: str) -> list[Picture]:
    """The cells of a sheet in reading order, as views; raises `ChoiceError` when the picture is too small for them."""
    height, width = picture.shape[:2]
    if cut.needs.width > width or cut.needs.height > height:
        raise ChoiceError(
            f"{cut.columns} x {cut.rows} cells of {cut.cell.width} x {cut.cell.height} px need a sheet of"
            f" {cut.needs.width} x {cut.needs.height} px, but {what} is {width} x {height} px. Choose fewer or smaller cells."
        )
    return [picture[box.top : box.bottom, box.left : box.right] for box in cut.cells()]


def check_sheet(picture: Picture, cut: SheetCut, what: str = "the picture") -> list[SheetFinding]:
    """What speaks against a cut: frames that are cut through, empty cells, art outside of all cells.

    Where the picture has no transparency, what is of the colour of its top left corner counts as nothing. Raises
    `ChoiceError` as `cut_sheet` does.
    """
    cut_sheet(picture, cut, what)
    art = _art(picture)
    found: list[SheetFinding] = []
    for number, box in enumerate(cut.cells(), 1):
        # Only what goes on beyond the border is cut: art may touch it.
        sides = _sides_cut(art, box)
        if sides:
            found.append(
                SheetFinding("cut through", number, f"Frame {number} is cut through at its {' and '.join(sides)}.")
            )
    covered = np.zeros(art.shape, bool)
    for number, box in enumerate(cut.cells(), 1):
        covered[box.top : box.bottom, box.left : box.right] = True
        if not art[box.top : box.bottom, box.left : box.right].any():
            found.append(SheetFinding("empty", number, f"Frame {number} is empty."))
    outside = int((art & ~covered).sum())
    if outside:
        found.append(SheetFinding("outside", None, f"{outside:,} pixels of art lie in no cell."))
    return found


def propose_sheet(picture: Picture) -> SheetCut:
    """The finest cut into equal cells, without margin or spacing, that cuts nothing and leaves no cell empty.

    A picture that cannot be cut is one cell.
    """
    art = _art(picture)
    height, width = art.shape
    columns = [n for n in range(1, min(_MOST, width) + 1) if width % n == 0 and not _is_cut(art, width // n, axis=1)]
    rows = [n for n in range(1, min(_MOST, height) + 1) if height % n == 0 and not _is_cut(art, height // n, axis=0)]
    pairs = sorted(((c, r) for c in columns for r in rows if c * r <= MAX_CELLS), key=lambda pair: -pair[0] * pair[1])
    for across, down in pairs:
        cut = SheetCut(across, down, Size(width // across, height // down))
        if all(art[box.top : box.bottom, box.left : box.right].any() for box in cut.cells()):
            return cut
    return SheetCut(1, 1, Size(width, height))


def seems_sheet(picture: Picture) -> SheetCut | None:
    """The cut of a picture that looks like a sheet of frames: at least three equal cells with drawings of about one size at about the same
    place of the cell. None for other pictures, and for those of more than 20 megapixels.
    """
    if picture.shape[0] * picture.shape[1] > _MOST_PIXELS:
        return None
    cut = propose_sheet(picture)
    if cut.columns * cut.rows < _LEAST_CELLS:
        return None
    art = _art(picture)
    boxes = []
    for box in cut.cells():
        own = art[box.top : box.bottom, box.left : box.right]
        rows, columns = np.flatnonzero(own.any(axis=1)), np.flatnonzero(own.any(axis=0))
        boxes.append((columns[0], rows[0], columns[-1] + 1, rows[-1] + 1))
    left, top, right, bottom = np.array(boxes, np.float64).T
    sides = np.array(cut.cell, np.float64)
    for low, high, side in ((left, right, sides[0]), (top, bottom, sides[1])):
        long, middle = high - low, (low + high) / 2
        if (np.abs(long - np.median(long)) > _ABOUT * np.median(long)).any():
            return None
        if (np.abs(middle - np.median(middle)) > _ABOUT / 2 * side).any():
            return None
    return cut


def _art(picture: Picture) -> NDArray[np.bool_]:
    alpha = picture[..., 3]
    if (alpha < 255).any():
        return np.asarray(alpha > 0)
    return np.asarray((picture[..., :3] != picture[0, 0, :3]).any(axis=2))


def _is_cut(art: NDArray[np.bool_], step: int, axis: int) -> bool:
    """Whether art goes on across any line that is a multiple of `step` along an axis."""
    lined = art if axis == 0 else art.T
    return any((lined[at - 1] & lined[at]).any() for at in range(step, len(lined), step))


def _sides_cut(art: NDArray[np.bool_], box: Box) -> list[str]:
    height, width = art.shape
    columns, rows = slice(box.left, box.right), slice(box.top, box.bottom)
    crossing = {
        "left": box.left > 0 and (art[rows, box.left - 1] & art[rows, box.left]).any(),
        "right": box.right < width and (art[rows, box.right - 1] & art[rows, box.right]).any(),
        "top": box.top > 0 and (art[box.top - 1, columns] & art[box.top, columns]).any(),
        "bottom": box.bottom < height and (art[box.bottom - 1, columns] & art[box.bottom, columns]).any(),
    }
    return [side for side, is_cut in crossing.items() if is_cut]
