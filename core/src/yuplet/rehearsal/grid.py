"""A sheet as a receiver cuts it who was told nothing but the number of columns and rows: equal cells from the top left corner.

Common practice, no published source.
"""

from collections.abc import Iterable, Mapping
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from yuplet.errors import NoSuchGrid, PackageError
from yuplet.rehearsal.images import Decoded, cut_out
from yuplet.rehearsal.package import PartUse, Within
from yuplet.rehearsal.picture import Placed, Scene, Way

MOST_CELLS = 4096


def cells(sheet: Decoded, grid: tuple[int, int] | None, name: str, scratch: Path) -> dict[str, Decoded]:
    """The frames of a sheet in reading order; raises `NoSuchGrid` where it has no such grid."""
    columns, rows = _required(sheet, grid, name)
    width, height = sheet.width // columns, sheet.height // rows
    return {
        f"frame {at + 1}": cut_out(
            sheet, at % columns * width, at // columns * height, width, height, False, scratch / f"cell {at}.raw"
        )
        for at in range(columns * rows)
    }


def require_uncut_art(sheet: Decoded, grid: tuple[int, int] | None, name: str) -> None:
    """Raise `NoSuchGrid` where the cuts run through what is drawn."""
    columns, rows = _required(sheet, grid, name)
    art = sheet.rows(0, sheet.height)[..., 3] > 0
    for lined, count, what in ((art.T, columns, "columns"), (art, rows, "rows")):
        step = len(lined) // count
        cut = [at for at in range(step, len(lined), step) if _runs_on(lined, at)]
        if cut:
            raise NoSuchGrid(
                f"With {count} {what} the cut at {cut[0]} px runs through what is drawn on '{name}': the frames are larger."
                f" Choose another number of {what}."
            )


def require_uncut_pictures(
    sheet: Decoded, grid: tuple[int, int] | None, name: str, places: Iterable[Within]
) -> dict[int, Within]:
    """By the numbers of the cells the one picture in each, as a manifest tells them; raises `NoSuchGrid` where the cuts run through one, or
    where two are in one cell."""
    columns, rows = _required(sheet, grid, name)
    width, height = sheet.width // columns, sheet.height // rows
    found: dict[int, Within] = {}
    for place in sorted(places):
        across, down = (place.height, place.width) if place.turned else (place.width, place.height)
        for begin, size, step, what in ((place.x, across, width, "columns"), (place.y, down, height, "rows")):
            if begin // step != (begin + size - 1) // step:
                raise NoSuchGrid(
                    f"With {columns if what == 'columns' else rows} {what} the cut at {(begin // step + 1) * step} px runs through the picture at"
                    f" {place.x}, {place.y} px of '{name}', although the number divides the sheet. Choose another number of {what}."
                )
        cell = place.y // height * columns + place.x // width
        if cell in found:
            raise NoSuchGrid(
                f"Cut into {columns} x {rows}, cell {cell + 1} of '{name}' holds more than one picture. Choose more columns or rows."
            )
        found[cell] = place
    return found


def scene_of_pictures(way: Way, pictures: Mapping[str, Decoded], shows_all: bool) -> Scene:
    """Pictures of one size over each other at 0, 0, the first at the back; all shown, or the first alone. Raises `PackageError` for none."""
    first = next(iter(pictures.values()), None)
    if first is None:
        raise PackageError("None of the files is an image that can be read. Choose others.")
    placed = {
        label: Placed(
            label=label,
            image=image,
            left=0,
            top=0,
            opacity=1.0,
            blend="normal",
            area=image.content or (0, 0, image.width, image.height),
        )
        for label, image in pictures.items()
    }
    return Scene(
        way=way,
        scale=1.0,
        width=first.width,
        height=first.height,
        tree=tuple(PartUse(label, shows_all or at == 0) for at, label in enumerate(placed)),
        placed=placed,
        ground=None,
        largest=0.0,
        mean=0.0,
    )


def _required(sheet: Decoded, grid: tuple[int, int] | None, name: str) -> tuple[int, int]:
    if grid is None:
        raise NoSuchGrid(f"'{name}' is one image. Say how many columns and rows of frames it has.")
    columns, rows = grid
    if columns * rows > MOST_CELLS:
        raise NoSuchGrid(f"{columns} x {rows} frames are more than {MOST_CELLS:,}. Choose fewer columns or rows.")
    for count, size, what in ((columns, sheet.width, "columns"), (rows, sheet.height, "rows")):
        if count < 1 or size % count:
            side = "wide" if what == "columns" else "high"
            raise NoSuchGrid(
                f"'{name}' is {size} px {side}, which {count} {what} do not divide. Choose another number."
            )
    return columns, rows


def _runs_on(lined: NDArray[np.bool_], at: int) -> bool:
    return bool((lined[at - 1] & lined[at]).any())
