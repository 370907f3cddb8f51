"""What an artist did on the picture, as numbers, and the mask that comes of it.

Numbers are kept with what was made of them, so that it can be made again.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from typing import Annotated, Any, Literal, TypeAlias

import numpy as np
from pydantic import ConfigDict, Field, StrictBool, StrictInt, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from yuplet.documents import first_fault
from yuplet.errors import NothingChosen, SelectionError, shown
from yuplet.geometry import Box
from yuplet.pixels import Picture
from yuplet.selecting.choosing import Click
from yuplet.selecting.marking import between_marks, of_brush
from yuplet.selecting.masks import Chosen, How, Mask, chosen_of, combine, grown, hard_mask, smoothed, softened
from yuplet.selecting.nested import nested
from yuplet.selecting.pick import picked
from yuplet.selecting.proposals import MAX_REGIONS, Proposals, propose
from yuplet.selecting.regions import Line, inside_lines, islands, labelled, of_colour, of_shape

MAX_POINTS = 20_000
MAX_STROKE = 2_000
"""Points of a mark."""
MAX_GESTURES = 500
MAX_CLICKS = 200
MAX_WIDTH = 200.0
"""Pixels that an edge can be soft, or an outline be moved."""

CONFIG = ConfigDict(extra="forbid", allow_inf_nan=False)
Number: TypeAlias = Annotated[float, Field(strict=True)]
Point: TypeAlias = tuple[Number, Number]
Stroke: TypeAlias = tuple[Point, ...]
Outline: TypeAlias = Annotated[Stroke, Field(min_length=1, max_length=MAX_POINTS)]
Mark: TypeAlias = Annotated[Stroke, Field(min_length=1, max_length=MAX_STROKE)]
At: TypeAlias = tuple[StrictInt, StrictInt]
"""A pixel of the canvas."""
Width: TypeAlias = Annotated[float, Field(strict=True, ge=0, le=MAX_WIDTH)]
BrushSize: TypeAlias = Annotated[float, Field(strict=True, ge=1, le=2 * MAX_WIDTH)]
EdgeWidth: TypeAlias = Annotated[float, Field(strict=True, ge=-MAX_WIDTH, le=MAX_WIDTH)]


@dataclass(frozen=True, slots=True, config=CONFIG)
class DrawRound:
    """A closed outline, free-hand or point to point; places on the canvas."""

    points: Outline
    how: How = "instead"
    tool: Literal["draw-round"] = field(default="draw-round", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class SameColour:
    """All that is of the colour at a pixel of the canvas, within a CIEDE2000 distance."""

    at: At
    distance: Width = 8.0
    connected: StrictBool = True
    how: How = "instead"
    tool: Literal["same-colour"] = field(default="same-colour", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class InsideLines:
    """What line art bounds around a pixel of the canvas; numbers as in `regions.inside_lines`."""

    at: At
    gap: Width = 6.0
    darkness: Width = 20.0
    line: Line = "part"
    how: How = "instead"
    tool: Literal["inside-lines"] = field(default="inside-lines", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Island:
    """The separate piece of art at a pixel of the canvas."""

    at: At
    gap: Width = 0.0
    how: How = "instead"
    tool: Literal["island"] = field(default="island", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Proposed:
    """The proposed part at a pixel of the canvas, when the art is divided into so many regions (`proposals`)."""

    at: At
    regions: Annotated[int, Field(strict=True, ge=1, le=MAX_REGIONS)] = 40
    how: How = "instead"
    tool: Literal["proposed"] = field(default="proposed", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Clicked:
    """The part that clicks on pixels of the canvas mean (`pick`): the first takes one, further ones add to it or take away.

    `steps` takes so many pieces more (or fewer, when negative) around the last click than are taken without.
    """

    clicks: Annotated[tuple[Click, ...], Field(min_length=1, max_length=MAX_CLICKS)]
    steps: Annotated[int, Field(strict=True, ge=-100, le=100)] = 0
    how: How = "instead"
    tool: Literal["clicked"] = field(default="clicked", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Brush:
    """A stroke of a round brush, its middle at places on the canvas; numbers as in `marking.of_brush`."""

    points: Outline
    size: BrushSize = 24.0
    hardness: Annotated[float, Field(strict=True, ge=0, le=1)] = 1.0
    how: How = "add"
    tool: Literal["brush"] = field(default="brush", kw_only=True, repr=False)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Scribble:
    """Marks inside and outside of something, strokes on the canvas; the border between them is computed (`marking`)."""

    inside: Annotated[tuple[Mark, ...], Field(max_length=MAX_GESTURES)]
    outside: Annotated[tuple[Mark, ...], Field(max_length=MAX_GESTURES)] = ()
    size: BrushSize = 8.0
    how: How = "instead"
    tool: Literal["scribble"] = field(default="scribble", kw_only=True, repr=False)


Gesture: TypeAlias = Annotated[
    DrawRound | SameColour | InsideLines | Island | Proposed | Clicked | Brush | Scribble, Field(discriminator="tool")
]
Gestures: TypeAlias = Annotated[tuple[Gesture, ...], Field(max_length=MAX_GESTURES)]
Strokes: TypeAlias = Annotated[tuple[Brush, ...], Field(max_length=MAX_GESTURES)]
_READ: TypeAdapter[Gesture] = TypeAdapter(Gesture)


@dataclass(frozen=True, slots=True, config=CONFIG)
class Edge:
    """What is done to the outline in the end: grown or drawn in, smoothed, and how wide its soft edge is; in pixels."""

    grow: EdgeWidth = 0.0
    smooth: EdgeWidth = 0.0
    soft: EdgeWidth = 0.0


HARD = Edge()
ByClicks: TypeAlias = Callable[[Picture, Sequence[Click], int], Chosen]
"""What clicks on pixels of a picture take of it, and so many pieces more."""


def _by_clicks(picture: Picture, clicks: Sequence[Click], steps: int) -> Chosen:
    return picked(picture, nested(picture), clicks, steps)


def select(
    picture: Picture,
    box: Box,
    gestures: Sequence[Gesture],
    edge: Edge = HARD,
    divide: Callable[[Picture], Proposals] = propose,
    by_clicks: ByClicks = _by_clicks,
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
    by_clicks : callable
        Says what clicks take; one that remembers what the picture is divided into saves time.

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
            f"A selection has up to {MAX_GESTURES} gestures. Take out this selection, then select the rest."
        )
    mask = np.zeros(picture.shape[:2], np.uint8)
    for gesture in gestures:
        mask = combine(mask, _mask(picture, box, gesture, divide, by_clicks), gesture.how)
    chosen = chosen_of(mask)
    if edge.grow or edge.smooth:
        chosen = grown(smoothed(chosen, edge.smooth), edge.grow)
    result = softened(chosen, edge.soft)
    result[picture[..., 3] == 0] = 0
    if not chosen_of(result).any():
        raise NothingChosen("Nothing of the part is selected. Select some of its art.")
    return result


def _mask(
    picture: Picture, box: Box, gesture: Gesture, divide: Callable[[Picture], Proposals], by_clicks: ByClicks
) -> Mask:
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
        case Clicked(clicks, steps):
            own_clicks = [Click(*_within((one.x, one.y), box), one.add) for one in clicks]
            chosen = by_clicks(picture, own_clicks, steps)
    return hard_mask(chosen)


def _moved(points: Stroke, box: Box) -> Stroke:
    return tuple((x - box.left, y - box.top) for x, y in points)


def _within(at: tuple[int, int], box: Box) -> tuple[int, int]:
    return at[0] - box.left, at[1] - box.top


def from_json(value: Any) -> Gesture:
    """A gesture from plain JSON values, its kind under 'tool'; raises `SelectionError` for anything that is none.

    >>> from_json({"tool": "same-colour", "at": [3, 4]})
    SameColour(at=(3, 4), distance=8.0, connected=True, how='instead')
    """
    try:
        return _READ.validate_python(value)
    except ValidationError as error:
        kind = value.get("tool") if isinstance(value, Mapping) else None
        raise SelectionError(
            f"The gesture '{shown(str(kind))}' is not complete: {first_fault(error, value)}."
        ) from error


def gestures_from_json(values: Any) -> tuple[Gesture, ...]:
    """A chain of gestures from plain JSON values; raises `SelectionError`."""
    if not isinstance(values, list | tuple):
        raise SelectionError("Gestures are a list.")
    return tuple(from_json(one) for one in values)


def edge_from_json(value: Any) -> Edge:
    """An edge from plain JSON values; raises `SelectionError`."""
    try:
        return TypeAdapter(Edge).validate_python(value)
    except ValidationError as error:
        raise SelectionError(f"The edge is not understood: {first_fault(error, value)}.") from error
