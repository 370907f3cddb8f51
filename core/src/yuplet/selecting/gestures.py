"""What an artist did on the picture, as numbers, and the mask that comes of it.

Numbers are kept with what was made of them, so that it can be made again.
"""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeAlias, get_args

import numpy as np

from yuplet.errors import NothingChosen, SelectionError
from yuplet.geometry import Box
from yuplet.pixels import Picture
from yuplet.selecting.marking import between_marks, of_brush
from yuplet.selecting.masks import How, Mask, chosen_of, combine, grown, smoothed, softened
from yuplet.selecting.proposals import MAX_REGIONS, Proposals, propose
from yuplet.selecting.regions import Line, inside_lines, islands, labelled, of_colour, of_shape

Stroke: TypeAlias = tuple[tuple[float, float], ...]

MAX_POINTS = 20_000
MAX_STROKE = 2_000
"""Points of a mark."""
MAX_GESTURES = 500
MAX_WIDTH = 200.0
"""Pixels that an edge can be soft, or an outline be moved."""


@dataclass(frozen=True, slots=True)
class DrawRound:
    """A closed outline, free-hand or point to point; places on the canvas."""

    points: Stroke
    how: How = "instead"


@dataclass(frozen=True, slots=True)
class SameColour:
    """All that is of the colour at a pixel of the canvas, within a CIEDE2000 distance."""

    at: tuple[int, int]
    distance: float = 8.0
    connected: bool = True
    how: How = "instead"


@dataclass(frozen=True, slots=True)
class InsideLines:
    """What line art bounds around a pixel of the canvas; numbers as in `regions.inside_lines`."""

    at: tuple[int, int]
    gap: float = 6.0
    darkness: float = 20.0
    line: Line = "part"
    how: How = "instead"


@dataclass(frozen=True, slots=True)
class Island:
    """The separate piece of art at a pixel of the canvas."""

    at: tuple[int, int]
    gap: float = 0.0
    how: How = "instead"


@dataclass(frozen=True, slots=True)
class Proposed:
    """The proposed part at a pixel of the canvas, when the art is divided into so many regions (`proposals`)."""

    at: tuple[int, int]
    regions: int = 40
    how: How = "instead"


@dataclass(frozen=True, slots=True)
class Brush:
    """A stroke of a round brush, its middle at places on the canvas; numbers as in `marking.of_brush`."""

    points: Stroke
    size: float = 24.0
    hardness: float = 1.0
    how: How = "add"


@dataclass(frozen=True, slots=True)
class Scribble:
    """Marks inside and outside of something, strokes on the canvas; the border between them is computed (`marking`)."""

    inside: tuple[Stroke, ...]
    outside: tuple[Stroke, ...] = ()
    size: float = 8.0
    how: How = "instead"


Gesture: TypeAlias = DrawRound | SameColour | InsideLines | Island | Proposed | Brush | Scribble
KINDS: dict[str, type[Gesture]] = {
    "draw-round": DrawRound,
    "same-colour": SameColour,
    "inside-lines": InsideLines,
    "island": Island,
    "proposed": Proposed,
    "brush": Brush,
    "scribble": Scribble,
}


@dataclass(frozen=True, slots=True)
class Edge:
    """What is done to the outline in the end: grown or drawn in, smoothed, and how wide its soft edge is; in pixels."""

    grow: float = 0.0
    smooth: float = 0.0
    soft: float = 0.0


HARD = Edge()


def select(
    picture: Picture,
    box: Box,
    gestures: Sequence[Gesture],
    edge: Edge = HARD,
    divide: Callable[[Picture], Proposals] = propose,
) -> Mask:
    """The mask of a chain of gestures on a picture, each changing what the ones before have chosen.

    Parameters
    ----------
    picture : (H, W, 4) uint8
        The art that is selected from.
    box : Box
        Where it lies on the canvas, whose places the gestures have.
    gestures : sequence
        The first chooses, the others add, subtract, intersect or choose instead.
    edge : Edge
    divide : callable
        Divides the picture where proposals are chosen; one that remembers saves time.

    Returns
    -------
    (H, W) uint8
        Only pixels that are there (alpha above 0) are chosen.

    Raises
    ------
    SelectionError
        `NothingThere` where a click met nothing, `NothingChosen` when nothing is left.
    """
    if len(gestures) > MAX_GESTURES:
        raise SelectionError(
            f"A selection has up to {MAX_GESTURES} gestures. Take out what is chosen, and go on with the rest."
        )
    mask = np.zeros(picture.shape[:2], np.uint8)
    for gesture in gestures:
        mask = combine(mask, _mask(picture, box, gesture, divide), gesture.how)
    chosen = chosen_of(mask)
    if edge.grow or edge.smooth:
        chosen = grown(smoothed(chosen, edge.smooth), edge.grow)
    result = softened(chosen, edge.soft)
    result[picture[..., 3] == 0] = 0
    if not chosen_of(result).any():
        raise NothingChosen("Nothing of the part is chosen. Choose some of its art.")
    return result


def _mask(picture: Picture, box: Box, gesture: Gesture, divide: Callable[[Picture], Proposals]) -> Mask:
    match gesture:
        case DrawRound(points):
            return of_shape(_moved(points, box), picture.shape[1], picture.shape[0])
        case Brush(points, size, hardness):
            return of_brush(_moved(points, box), size, hardness, picture.shape[1], picture.shape[0])
        case Scribble(inside, outside, size):
            own, others = ([_moved(stroke, box) for stroke in strokes] for strokes in (inside, outside))
            chosen = between_marks(picture, own, others, size)
        case SameColour(at, distance, connected):
            chosen = of_colour(picture, _within(at, box), distance, connected)
        case InsideLines(at, gap, darkness, line):
            chosen = inside_lines(picture, _within(at, box), gap, darkness, line)
        case Island(at, gap):
            chosen = labelled(islands(picture, gap=gap).labels, _within(at, box))
        case Proposed(at, regions):
            chosen = labelled(divide(picture).at(regions), _within(at, box))
    return np.where(chosen, 255, 0).astype(np.uint8)


def _moved(points: Stroke, box: Box) -> Stroke:
    return tuple((x - box.left, y - box.top) for x, y in points)


def _within(at: tuple[int, int], box: Box) -> tuple[int, int]:
    return at[0] - box.left, at[1] - box.top


def to_json(gesture: Gesture) -> dict[str, Any]:
    """A gesture as plain JSON values, its kind under 'tool'.

    >>> from_json(to_json(SameColour((3, 4)))) == SameColour((3, 4))
    True
    """
    kinds = {kind: name for name, kind in KINDS.items()}
    values = {name: getattr(gesture, name) for name in gesture.__slots__}
    return {"tool": kinds[type(gesture)], **values}


def from_json(value: Mapping[str, Any]) -> Gesture:
    """The inverse of `to_json`; raises SelectionError for anything that is no gesture."""
    rest = dict(value)
    kind = KINDS.get(str(rest.pop("tool", "")))
    if kind is None:
        raise SelectionError(f"There is no tool called '{value.get('tool')}'. Known are: {', '.join(KINDS)}.")
    try:
        if rest.get("how", "instead") not in get_args(How):
            raise ValueError(f"'{rest['how']}' is no way to combine")
        if "size" in rest:
            rest["size"] = _number(rest["size"], "size", 1, 2 * MAX_WIDTH)
        if kind is Scribble:
            inside, outside = (
                tuple(_stroke(one, MAX_STROKE) for one in rest.pop(name, ())) for name in ("inside", "outside")
            )
            if len(inside) + len(outside) > MAX_GESTURES:
                raise ValueError(f"there are up to {MAX_GESTURES} marks")
            return Scribble(inside, outside, **rest)
        if kind is DrawRound or kind is Brush:
            if "hardness" in rest:
                rest["hardness"] = _number(rest["hardness"], "hardness", 0, 1)
            drawn: Gesture = kind(**{**rest, "points": _stroke(rest["points"], MAX_POINTS)})
            return drawn
        x, y = rest.pop("at")
        if "regions" in rest:
            rest["regions"] = int(_number(rest["regions"], "regions", 1, MAX_REGIONS))
        for name in ("distance", "gap", "darkness"):
            if name in rest:
                rest[name] = _number(rest[name], name)
        if rest.get("line", "part") not in get_args(Line):
            raise ValueError(f"'{rest['line']}' is no way to give the line away")
        made: Gesture = kind(**{**rest, "at": (int(x), int(y))})
        return made
    except (KeyError, TypeError, ValueError) as error:
        raise SelectionError(f"The gesture '{value.get('tool')}' is not complete: {error}.") from error


def strokes_from_json(values: Sequence[Mapping[str, Any]]) -> tuple[Brush, ...]:
    """Strokes of a brush from plain JSON values; raises SelectionError."""
    if len(values) > MAX_GESTURES:
        raise SelectionError(f"These are {len(values)} strokes. Up to {MAX_GESTURES} are taken at once.")
    strokes = [from_json({**value, "tool": "brush"}) for value in values]
    return tuple(stroke for stroke in strokes if isinstance(stroke, Brush))


def _stroke(value: object, most: int) -> Stroke:
    if not isinstance(value, list | tuple) or not 0 < len(value) <= most:
        raise ValueError(f"an outline or a stroke has 1 to {most} points")
    points = tuple((float(x), float(y)) for x, y in value)
    if not all(math.isfinite(one) for point in points for one in point):
        raise ValueError("a point is two numbers")
    return points


def edge_from_json(value: Mapping[str, Any]) -> Edge:
    """An edge from plain JSON values; raises SelectionError."""
    try:
        return Edge(**{str(name): _number(one, str(name), -MAX_WIDTH, MAX_WIDTH) for name, one in value.items()})
    except (TypeError, ValueError) as error:
        raise SelectionError(f"The edge is not understood: {error}.") from error


def _number(value: object, name: str, least: float = 0.0, most: float = MAX_WIDTH) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not least <= value <= most:
        raise ValueError(f"{name} is a number from {least:g} to {most:g}")
    return float(value)
