"""Places in canvas pixels. x counts to the right, y counts down, the top left corner of the canvas is (0, 0)."""

import math
from typing import NamedTuple


class Size(NamedTuple):
    """Width and height in whole pixels."""

    width: int
    height: int

    @property
    def pixels(self) -> int:
        """The number of pixels."""
        return self.width * self.height


class Point(NamedTuple):
    """A place on the canvas; fractions of a pixel are kept."""

    x: float
    y: float


class Affine(NamedTuple):
    """A map of the plane: x' = a x + c y + e, y' = b x + d y + f, as CSS and SVG write matrix(a, b, c, d, e, f)."""

    a: float = 1.0
    b: float = 0.0
    c: float = 0.0
    d: float = 1.0
    e: float = 0.0
    f: float = 0.0

    @classmethod
    def turn(cls, degrees: float, about: Point) -> "Affine":
        """A turn about a point, clockwise, since y counts down.

        >>> Affine.turn(90, Point(0, 0)).of(Point(20, 0)).y
        20.0
        """
        angle = math.radians(degrees)
        cosine, sine = math.cos(angle), math.sin(angle)
        x, y = about
        return cls(cosine, sine, -sine, cosine, x - cosine * x + sine * y, y - sine * x - cosine * y)

    def after(self, first: "Affine") -> "Affine":
        """One map that does another one first and then this one: this matrix times that."""
        a, b, c, d, e, f = first
        return Affine(
            self.a * a + self.c * b,
            self.b * a + self.d * b,
            self.a * c + self.c * d,
            self.b * c + self.d * d,
            self.a * e + self.c * f + self.e,
            self.b * e + self.d * f + self.f,
        )

    def of(self, point: Point) -> Point:
        """Where a point comes to lie."""
        return Point(
            self.a * point.x + self.c * point.y + self.e,
            self.b * point.x + self.d * point.y + self.f,
        )


class Box(NamedTuple):
    """A rectangle of whole canvas pixels; `right` and `bottom` are the first outside."""

    left: int
    top: int
    right: int
    bottom: int

    @classmethod
    def at(cls, x: int, y: int, size: Size) -> "Box":
        """The box of a size whose top left corner is at (x, y)."""
        return cls(x, y, x + size.width, y + size.height)

    @property
    def width(self) -> int:
        """Columns covered."""
        return self.right - self.left

    @property
    def height(self) -> int:
        """Rows covered."""
        return self.bottom - self.top

    @property
    def size(self) -> Size:
        """Width and height."""
        return Size(self.width, self.height)

    @property
    def is_empty(self) -> bool:
        """Whether no pixel is covered."""
        return self.width <= 0 or self.height <= 0

    @property
    def centre(self) -> Point:
        """The middle; an odd size gives halves, which are kept.

        >>> Box.at(33, 47, Size(121, 81)).centre
        Point(x=93.5, y=87.5)
        """
        return Point((self.left + self.right) / 2, (self.top + self.bottom) / 2)

    def moved(self, dx: int, dy: int) -> "Box":
        """The same size elsewhere."""
        return Box(self.left + dx, self.top + dy, self.right + dx, self.bottom + dy)

    def meet(self, other: "Box") -> "Box":
        """The pixels that both cover; may be empty."""
        return Box(
            max(self.left, other.left),
            max(self.top, other.top),
            min(self.right, other.right),
            min(self.bottom, other.bottom),
        )

    def join(self, other: "Box") -> "Box":
        """The smallest box around both."""
        return Box(
            min(self.left, other.left),
            min(self.top, other.top),
            max(self.right, other.right),
            max(self.bottom, other.bottom),
        )

    def as_xywh(self) -> list[int]:
        """x, y, width, height, as the manifest and the API give it."""
        return [self.left, self.top, self.width, self.height]

    @classmethod
    def from_xywh(cls, xywh: list[int] | tuple[int, int, int, int]) -> "Box":
        """The inverse of `as_xywh`."""
        x, y, width, height = xywh
        return cls(x, y, x + width, y + height)


def box_around(boxes: list[Box]) -> Box | None:
    """The smallest box around all of them; None when there are none."""
    result: Box | None = None
    for box in boxes:
        result = box if result is None else result.join(box)
    return result
