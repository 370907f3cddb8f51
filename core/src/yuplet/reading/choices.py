"""What a file does not say of itself, and the artist does."""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, fields
from typing import Any, Literal

from yuplet.errors import ChoiceError
from yuplet.geometry import Box, Size

MAX_PPI = 4_800.0
MAX_LONGEST = 100_000
MAX_CELLS = 2_000


@dataclass(frozen=True, slots=True)
class SheetCut:
    """How a sheet is cut into frames: equal cells in rows, counted from the top left corner.

    `margin` is the empty border around all cells, `spacing` what lies between two of them; all in pixels.
    """

    columns: int
    rows: int
    cell: Size
    margin: int = 0
    spacing: int = 0

    @property
    def needs(self) -> Size:
        """How large a picture must be at least to hold all cells."""
        return Size(
            2 * self.margin + self.columns * (self.cell.width + self.spacing) - self.spacing,
            2 * self.margin + self.rows * (self.cell.height + self.spacing) - self.spacing,
        )

    def cells(self) -> list[Box]:
        """The cells in reading order, in the sheet's own pixels."""
        across, down = self.cell.width + self.spacing, self.cell.height + self.spacing
        return [
            Box.at(self.margin + column * across, self.margin + row * down, self.cell)
            for row in range(self.rows)
            for column in range(self.columns)
        ]


@dataclass(frozen=True, slots=True)
class Choices:
    """How a file is read.

    `longest` is the longer side in pixels at which vector art is drawn; without it the file's own size is taken, at
    `ppi` pixels to the inch. `names` is attribute that holds the names of vector art. `sheet` cuts a flat picture into
    frames. `stack` is whether loose images are parts or the frames of one part, `reference` which of them is the picture
    of the whole ('': none of them). What does not concern a kind of file has no effect on it.
    """

    longest: int | None = None
    ppi: float | None = None
    names: str | None = None
    sheet: SheetCut | None = None
    stack: Literal["parts", "frames"] | None = None
    reference: str | None = None

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values, without what was not chosen."""
        return {name: value for name, value in asdict(self).items() if value is not None}

    @classmethod
    def from_json(cls, value: Mapping[str, Any]) -> "Choices":
        """The inverse of `as_json`; raises `ChoiceError` for what cannot be."""
        known = [field.name for field in fields(cls)]
        unknown = sorted(set(value) - set(known))
        if unknown:
            raise ChoiceError(f"There is no choice called '{unknown[0]}'. Known are {', '.join(known)}.")
        ppi = value.get("ppi")
        if ppi is not None and (not isinstance(ppi, int | float) or not 1 <= ppi <= MAX_PPI):
            raise ChoiceError(f"{ppi!r} pixels to the inch cannot be. Choose 1 to {MAX_PPI:.0f}.")
        names, reference, stack = (value.get(name) for name in ("names", "reference", "stack"))
        for text in (names, reference):
            if text is not None and not isinstance(text, str):
                raise ChoiceError(f"{text!r} is not a name.")
        if stack not in (None, "parts", "frames"):
            raise ChoiceError(f"A stack is read as 'parts' or 'frames', not as {stack!r}.")
        longest = value.get("longest")
        if longest is not None:
            longest = _whole(longest, "The longer side", 1, MAX_LONGEST)
        sheet = value.get("sheet")
        cut = None if sheet is None else _sheet(sheet)
        return cls(longest, None if ppi is None else float(ppi), names, cut, stack, reference)


AS_THE_FILE_SAYS = Choices()


def _sheet(value: Mapping[str, Any]) -> SheetCut:
    try:
        columns, rows = (_whole(value[name], f"The number of {name}", 1, MAX_CELLS) for name in ("columns", "rows"))
        width, height = value["cell"]
    except (KeyError, TypeError, ValueError) as error:
        raise ChoiceError("A sheet is cut by columns, rows and the size of a cell. Give all of them.") from error
    if columns * rows > MAX_CELLS:
        raise ChoiceError(f"{columns} x {rows} cells are too many; Yuplet takes up to {MAX_CELLS}.")
    cell = Size(*(_whole(side, "The side of a cell", 1, MAX_LONGEST) for side in (width, height)))
    margin, spacing = (_whole(value.get(name, 0), f"The {name}", 0, MAX_LONGEST) for name in ("margin", "spacing"))
    return SheetCut(columns, rows, cell, margin, spacing)


def _whole(value: object, what: str, least: int, most: int) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
        raise ChoiceError(f"{what} is {value!r}, but must be a whole number from {least} to {most}.")
    return value
