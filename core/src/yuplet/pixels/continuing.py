"""Borders between colours continued through a hole as curves.

Where two colours meet at the rim of a hole their border ends. Ends that have the same colours on their sides are joined in pairs by
curves that do not cross, short and little bent ones first (S. Masnou and J.-M. Morel, "Level lines based disocclusion", IEEE
International Conference on Image Processing 1998). Each curve is a cubic that leaves both ends as the borders reached them; between
two equal ends it is about an arc of a circle (T. Goldapp, "Approximation of circular arcs by cubic polynomials", Computer Aided
Geometric Design 8(3), 1991).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

DARK = 80
"""The lightest channel of a dark colour is below it."""
STEP = 20
"""Levels of a channel from which two colours are two."""
_Level = TypeVar("_Level", np.uint8, np.uint16)

_SHORTEST = 4
"""Pixels of a rim below which a colour there is no side of a border."""
_MOST_ENDS = 48
"""Ends at the rim of one hole, and how many of its pixels there are for each at least, for the art to be flat."""
_LEAST_APART = 10
_MOST_STRETCHES, _MOST_IN_ALL = 1_000, 400
"""Stretches of one colour along one rim, and ends in all, from which on art is not flat, and nothing is continued."""
SEEN = 0.05
"""How far a border is looked at to see where it goes, as a share of the geometric mean of the picture's sides."""
_LEAST_SEEN = 8
_UNKNOWN = 3
"""Pixels beside a hole whose colours do not count."""
_SHARPEST = 2.8
"""Radians that a curve may turn away from the straight way between its ends, at each of them."""
_LONGEST = 1.5
"""How far a curve goes on in the direction of its ends at the most, in lengths of the straight way between them."""
_LIKER = 0.6
"""By how much the same side differs between two ends, at the most, as a share of how much the two sides differ."""
_ALONE = 3.0
"""What an end without another one costs, in diagonals of the hole."""
_CLEARER = 1.3
"""How many times as large the squared errors of a straight border are at least for it to bend."""
_POINTS, _SAMPLES = 48, 24


@dataclass(frozen=True, slots=True)
class _End:
    """Where a border reaches a hole: its place (x, y), where it goes on (a unit vector), and the colours before and after it."""

    place: NDArray[np.float64]
    way: NDArray[np.float64]
    before: NDArray[np.int32]
    after: NDArray[np.int32]


def continue_borders(
    colours: NDArray[np.uint8],
    far: NDArray[np.float32],
    nearest: NDArray[np.intp],
    hole: NDArray[np.bool_],
    reach: float,
    side: float,
    thick: float = 0,
) -> NDArray[np.uint8]:
    """What flat art is like behind a hole.

    Parameters
    ----------
    colours : (H, W, 3) uint8
        Of each pixel the colour of the nearest one that is art.
    far : (H, W) float32
        How far that one is, in px.
    nearest : (H, W) int
        Which one that is, counted row by row.
    hole : (H, W) bool
    reach : float
        How far art may be from a place where a border ends, in px.
    side : float
        The geometric mean of the picture's sides, in px.
    thick : float
        How thick a dark line is at the most, in px; what is one ends at the hole.

    Returns
    -------
    (H, W, 3) uint8
        The same but in the hole, where colours end at the curves that borders go on as.
    """
    seen = max(round(SEEN * side), _LEAST_SEEN)
    found, _ = cv2.findContours(hole.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    curves: list[NDArray[np.float64]] = []
    tried = 0
    rim = np.zeros(hole.shape, bool)
    for contour in found:
        points = contour[:, 0, :].astype(np.intp)
        own = colours[points[:, 1], points[:, 0]].astype(np.int32)
        starts, counting = _starts(own, thick)
        rim[points[counting, 1], points[counting, 0]] = True
        if not starts:
            continue
        tried += len(starts)
        if tried > _MOST_IN_ALL:
            return colours
        near = far[points[:, 1], points[:, 0]] <= reach
        ends = _ends(points, own, starts, near, colours, hole, seen)
        if 2 <= len(ends) <= min(_MOST_ENDS, len(points) / _LEAST_APART):
            curves += [_curve(ends[one], ends[other]) for one, other in _joined(ends)]
    return _divided(colours, nearest, hole, rim, curves) if curves else colours


def _ends(
    points: NDArray[np.intp],
    own: NDArray[np.int32],
    starts: list[int],
    near: NDArray[np.bool_],
    colours: NDArray[np.uint8],
    hole: NDArray[np.bool_],
    seen: int,
) -> list[_End]:
    """Where borders reach the rim of a hole, along it; `own` are the colours of its `points`."""
    ends = []
    for number, start in enumerate(starts):
        before, after = starts[number - 1], starts[(number + 1) % len(starts)]
        one = _middle(own, before, start, last=True)
        other = _middle(own, start, after, last=False)
        if not near[start] or _apart(one, other) <= STEP:
            continue
        place = (points[start] + points[start - 1]) / 2
        reached = _reached(place, one, other, colours, hole, seen)
        if reached is not None:
            ends.append(_End(*reached, one, other))
    return ends


def _starts(own: NDArray[np.int32], thick: float) -> tuple[list[int], NDArray[np.bool_]]:
    """Where another colour begins along a rim, and which of its pixels count; what is too short for a colour of its own, or a dark line,
    counts to the one before.
    """
    steps = np.abs(own - np.roll(own, 1, axis=0)).max(axis=1) > STEP
    starts = np.flatnonzero(steps).tolist()
    counting = np.ones(len(own), bool)
    if len(starts) > _MOST_STRETCHES:
        return [], counting
    while len(starts) > 1:
        lengths = [(starts[(at + 1) % len(starts)] - one) % len(own) for at, one in enumerate(starts)]
        least = [
            thick if own[(one + length // 2) % len(own)].max() < DARK else 0
            for one, length in zip(starts, lengths, strict=True)
        ]
        over = np.array(lengths) - np.maximum(least, _SHORTEST)
        shortest = int(np.argmin(over))
        if over[shortest] >= 0:
            break
        counting[(starts[shortest] + np.arange(lengths[shortest])) % len(own)] = False
        starts.pop(shortest)
    return (starts if len(starts) > 1 else []), counting


def _middle(own: NDArray[np.int32], start: int, end: int, last: bool) -> NDArray[np.int32]:
    """The colour of a stretch of a rim beside its end, or beside its start."""
    length = (end - start) % len(own) or len(own)
    few = min(length, 8)
    offsets = np.arange(length - few, length) if last else np.arange(few)
    middle: NDArray[np.int32] = np.median(own[(start + offsets) % len(own)], axis=0).astype(np.int32)
    return middle


def _reached(
    place: NDArray[np.float64],
    one: NDArray[np.int32],
    other: NDArray[np.int32],
    colours: NDArray[np.uint8],
    hole: NDArray[np.bool_],
    seen: int,
) -> tuple[NDArray[np.float64], NDArray[np.float64]] | None:
    """Where the border between two colours reaches a hole, about at a place, and where it goes there; None where it cannot be seen."""
    left, top = np.maximum((place - seen).astype(int), 0).tolist()
    part = (slice(top, int(place[1]) + seen + 1), slice(left, int(place[0]) + seen + 1))
    there = colours[part].astype(np.int32)
    to_one, to_other = (np.abs(there - colour).max(axis=2) for colour in (one, other))
    # Beside the hole nothing is known: colours there are those of what is nearest.
    outside = cv2.dilate(hole[part].astype(np.uint8), np.ones((2 * _UNKNOWN + 1,) * 2, np.uint8)) == 0
    is_one = outside & (to_one <= STEP) & (to_one < to_other)
    is_other = outside & (to_other <= STEP) & (to_other < to_one)
    cross = cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3))
    border = is_one & (cv2.dilate(is_other.astype(np.uint8), cross) > 0)
    border |= is_other & (cv2.dilate(is_one.astype(np.uint8), cross) > 0)
    rows, columns = np.nonzero(_hanging_together(border, place - (left, top)))
    away = np.stack([columns + left, rows + top], axis=1) - place
    away = away[np.hypot(*away.T) <= seen]
    if len(away) < 4:
        return None
    middle = away.mean(axis=0)
    values, vectors = np.linalg.eigh(np.cov((away - middle).T))
    axis = vectors[:, int(values.argmax())]
    if axis @ middle > 0:
        axis = -axis
    along, beside = away @ axis, away @ np.array([-axis[1], axis[0]])
    spread = float(np.ptp(along))
    if spread < 4:
        return None
    (_, slope, off), errors = _fitted(along, beside, 2)
    (straight, straight_off), straight_errors = _fitted(along, beside, 1)
    # A border goes on as it bends, if it does so clearly.
    if straight_errors < _CLEARER * errors:
        slope, off = straight, straight_off
    steep = float(np.clip(slope, -1.5, 1.5))
    across = np.array([-axis[1], axis[0]])
    way = axis + steep * across
    return place + across * float(np.clip(off, -_UNKNOWN, _UNKNOWN)), way / np.hypot(*way)


def _fitted(along: NDArray[np.float64], beside: NDArray[np.float64], degree: int) -> tuple[NDArray[np.float64], float]:
    """The polynomial of least squares, and the mean of these."""
    found = np.polyfit(along, beside, degree)
    return found, float(((np.polyval(found, along) - beside) ** 2).mean())


def _hanging_together(border: NDArray[np.bool_], place: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Of the pixels of a border those that hang together with the nearest one to a place."""
    count, labels = cv2.connectedComponents(border.astype(np.uint8), connectivity=8)
    if count <= 2:
        return border
    rows, columns = np.nonzero(border)
    nearest = int(np.hypot(columns - place[0], rows - place[1]).argmin())
    found: NDArray[np.bool_] = labels == labels[rows[nearest], columns[nearest]]
    return found


def _joined(ends: Sequence[_End]) -> list[tuple[int, int]]:
    """Which ends belong together: pairs that do not cross and cost least in all."""
    count = len(ends)
    places = np.stack([one.place for one in ends])
    alone = _ALONE * float(np.hypot(*np.ptp(places, axis=0)))
    costs = np.full((count, count), np.inf)
    for one in range(count):
        for other in range(one + 1, count):
            costs[one, other] = _cost(ends[one], ends[other])
    # least[i, j] is what the ends from i up to before j cost; first[i, j] is what i is joined with (i: nothing).
    least = np.zeros((count + 1, count + 1))
    first = np.tile(np.arange(count + 1)[:, None], count + 1)
    for length in range(1, count + 1):
        for start in range(count - length + 1):
            end = start + length
            best = alone + least[start + 1, end]
            for other in range(start + 1, end):
                cost = costs[start, other] + least[start + 1, other] + least[other + 1, end]
                if cost < best:
                    best, first[start, end] = cost, other
            least[start, end] = best
    pairs, spans = [], [(0, count)]
    while spans:
        start, end = spans.pop()
        if start >= end:
            continue
        other = int(first[start, end])
        if other == start:
            spans.append((start + 1, end))
        else:
            pairs.append((start, other))
            spans += [(start + 1, other), (other + 1, end)]
    return pairs


def _cost(one: _End, other: _End) -> float:
    """The length of the curve that joins two ends, more when it is bent; infinite when they do not go together."""
    alike = max(_apart(one.after, other.before), _apart(one.before, other.after))
    # Shading makes one colour two; still they are more like each other than like what is beyond the border.
    if alike > min(2 * STEP, _LIKER * min(_apart(one.before, one.after), _apart(other.before, other.after))):
        return math.inf
    turns = _turns(one, other)
    if max(turns) > _SHARPEST:
        return math.inf
    return float(np.hypot(*(other.place - one.place))) * (1 + sum(turns) ** 2 / 4)


def _apart(one: NDArray[np.int32], other: NDArray[np.int32]) -> int:
    return int(np.abs(one - other).max())


def _turns(one: _End, other: _End) -> tuple[float, float]:
    """By how many radians the ways of two ends differ from the straight way between them."""
    chord = other.place - one.place
    length = max(float(np.hypot(*chord)), 1e-9)
    first, second = (float(np.clip(way @ chord / length, -1, 1)) for way in (one.way, -other.way))
    return math.acos(first), math.acos(second)


def _curve(one: _End, other: _End) -> NDArray[np.float64]:
    """Points of the curve that joins two ends, (n, 2)."""
    chord = float(np.hypot(*(other.place - one.place)))
    quarter = min(sum(_turns(one, other)) / 4, 0.45 * math.pi)
    handle = min(chord / (3 * math.cos(quarter) ** 2), _LONGEST * chord)
    knots = np.stack([one.place, one.place + handle * one.way, other.place + handle * other.way, other.place])
    t = np.linspace(0, 1, _POINTS)[:, None]
    weights = np.hstack([(1 - t) ** 3, 3 * t * (1 - t) ** 2, 3 * t**2 * (1 - t), t**3])
    points: NDArray[np.float64] = weights @ knots
    return points


def _divided(
    colours: NDArray[np.uint8],
    nearest: NDArray[np.intp],
    hole: NDArray[np.bool_],
    rim: NDArray[np.bool_],
    curves: Sequence[NDArray[np.float64]],
) -> NDArray[np.uint8]:
    """Colours that end at curves: in each piece of the hole between them, each pixel is as the nearest one of that piece's rim whose colour
    does not come from beyond a curve.
    """
    drawn = np.zeros(hole.shape, np.uint8)
    cv2.polylines(drawn, [np.rint(one).astype(np.int32) for one in curves], isClosed=False, color=1)
    rim = rim & ~_from_beyond(drawn, nearest, rim)
    line = (drawn > 0) & hole
    for one in curves:
        for x, y in np.rint(one[[0, -1]]).astype(int).tolist():
            cv2.circle(drawn, (x, y), _UNKNOWN + 1, 2, cv2.FILLED)
    beside = cv2.dilate(drawn, np.ones((3, 3), np.uint8)) > 0
    count, pieces, boxes, _ = cv2.connectedComponentsWithStats((hole & ~line).astype(np.uint8), connectivity=4)
    result = colours.copy()
    touched = np.zeros(count, bool)
    touched[pieces[beside & hole]] = True
    touched[0] = False
    settled = (pieces > 0) & ~touched[pieces]
    for number in np.flatnonzero(touched).tolist():
        left, top, width, height = boxes[number, : cv2.CC_STAT_AREA].tolist()
        part = (slice(top, top + height), slice(left, left + width))
        own = pieces[part] == number
        sources = own & rim[part] & ~beside[part]
        if not sources.any():
            sources = own & rim[part]
        if not sources.any():
            continue
        result[part][own] = colours_at(colours[part], nearest_of(sources)[1])[own]
        settled[part] |= own
    # Curves, and what lies between them and has no rim of its own, go with what is beside them.
    rest = hole & ~settled
    if settled.any() and rest.any():
        result[rest] = colours_at(result, nearest_of(settled)[1])[rest]
    return result


def _from_beyond(drawn: NDArray[np.uint8], nearest: NDArray[np.intp], rim: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The pixels of a rim between which and the nearest pixel of art a curve lies."""
    found = np.zeros(rim.shape, bool)
    rows, columns = np.nonzero(rim)
    to_rows, to_columns = np.divmod(nearest[rows, columns], rim.shape[1])
    crossed = np.zeros(len(rows), bool)
    thick = cv2.dilate(drawn, cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3)))
    for share in np.linspace(0, 1, _SAMPLES):
        at = (
            np.rint(rows + share * (to_rows - rows)).astype(np.intp),
            np.rint(columns + share * (to_columns - columns)).astype(np.intp),
        )
        crossed |= thick[at] > 0
    found[rows, columns] = crossed
    return found


def nearest_of(source: NDArray[np.bool_]) -> tuple[NDArray[np.float32], NDArray[np.intp]]:
    """How far away the nearest source pixel is, (H, W), and which one that is, counted row by row, (H, W)."""
    distance, labels = cv2.distanceTransformWithLabels(
        np.where(source, 0, 255).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    table = np.zeros(int(labels.max()) + 1, np.intp)
    table[labels[source]] = np.flatnonzero(source)
    return distance.astype(np.float32, copy=False), table[labels]


def colours_at(picture: NDArray[_Level], places: NDArray[np.intp]) -> NDArray[_Level]:
    """The colours of some pixels, counted row by row: the shape of `places`, and 3."""
    found: NDArray[_Level] = picture[..., :3].reshape(-1, 3)[places]
    return found
