"""Whether two pieces of a picture belong to one part, and whether a piece is a whole part: two learned measures.

Both are sums of small decision trees over what can be measured of pieces (gradient boosting; J. Friedman, "Greedy function
approximation: a gradient boosting machine", Annals of Statistics 29(5), 2001), fitted by bench/fit_belonging.py on open part
sets. Pieces are merged with the pair that belongs together most first, and measured anew (learned agglomeration; J. Nunez-Iglesias
and others, "Machine learning of hierarchical clustering to segment 2D and 3D images", PLoS ONE 8(8), 2013).
"""

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import compiled

TREES = "Tuple((int16[::1], float32[::1], int32[::1], int32[::1], float32[::1], int32[::1], float64))"
PIECES = "float64[:, ::1]"
TABLE = "float32[:, ::1]"

PAIR = 44
"""Measures of a pair of pieces."""
WHOLE = 26
"""Measures of a piece."""
(
    SIZE,
    LIGHT,
    GREEN,
    BLUE,
    SQUARED,
    EDGE,
    LEFT,
    TOP,
    RIGHT,
    BOTTOM,
    DEPTH,
    RIM,
    ACROSS,
    DOWN,
    PATCHES,
    MADE,
    CONTRAST,
) = range(17)
"""Columns of what is known of a piece: pixels, sums of colours and of their squares, length of its border, its box, how deep it is
in px, pixels on the rim of the picture, sums of places, how many patches it is of, how sure the merge was that made it, sum of the
contrast along its border.
"""
COLUMNS = 17
SUMMED = (SIZE, LIGHT, GREEN, BLUE, SQUARED, RIM, ACROSS, DOWN, PATCHES)
"""Those that are sums over the patches of a piece."""


@dataclass(frozen=True, slots=True)
class Trees:
    """A sum of decision trees: for each node the measure that is asked (-1: a leaf), the limit up to which one goes left, the two
    nodes below, and the value of a leaf; `roots` are where the trees begin, `base` is what is added.
    """

    measure: NDArray[np.int16]
    limit: NDArray[np.float32]
    left: NDArray[np.int32]
    right: NDArray[np.int32]
    value: NDArray[np.float32]
    roots: NDArray[np.int32]
    base: float

    @property
    def arrays(self) -> tuple[Any, ...]:
        """What compiled code takes."""
        return self.measure, self.limit, self.left, self.right, self.value, self.roots, self.base


@cache
def learned(name: str) -> Trees:
    """A fitted measure that comes with Yuplet: 'pair', 'whole', 'choice' or 'patch'."""
    with (files("yuplet.selecting") / "belonging.npz").open("rb") as file, np.load(file, allow_pickle=False) as held:
        get = {key: held[f"{name}_{key}"] for key in ("measure", "limit", "left", "right", "value", "roots", "base")}
    return Trees(**{**get, "base": float(get["base"])})


@compiled(f"float64({TREES}, float32[::1])")
def sum_of(trees: Any, measures: NDArray[np.float32]) -> float:
    """What the trees say of some measures."""
    measure, limit, left, right, value, roots, base = trees
    total = base
    for root in roots:
        node = root
        while measure[node] >= 0:
            node = left[node] if measures[measure[node]] <= limit[node] else right[node]
        total += value[node]
    return float(total)


@compiled(f"void({TREES}, float32[:, ::1], float32[::1])")
def _said(trees: Any, measures: NDArray[np.float32], out: NDArray[np.float32]) -> None:
    for one in range(len(measures)):
        out[one] = sum_of(trees, measures[one])


def said(trees: Trees, measures: NDArray[np.float32]) -> NDArray[np.float32]:
    """What trees say of each row of measures."""
    out = np.zeros(len(measures), np.float32)
    _said(trees.arrays, measures, out)
    return out


@compiled("float64(float64[::1])")
def _spread(one: NDArray[np.float64]) -> float:
    size = one[SIZE]
    mean = (one[LIGHT] ** 2 + one[GREEN] ** 2 + one[BLUE] ** 2) / size
    return float(np.sqrt(max((one[SQUARED] - mean) / size, 0.0)))


@compiled("float64(float64[::1], float64[::1])")
def _away(one: NDArray[np.float64], colour: NDArray[np.float64]) -> float:
    size = one[SIZE]
    total = 0.0
    for channel in range(3):
        total += (one[LIGHT + channel] / size - colour[channel]) ** 2
    return float(np.sqrt(total))


@compiled("float64(float64[::1], float64[::1])")
def _apart(one: NDArray[np.float64], other: NDArray[np.float64]) -> float:
    total = 0.0
    for column in (LIGHT, GREEN, BLUE):
        total += (one[column] / one[SIZE] - other[column] / other[SIZE]) ** 2
    return float(np.sqrt(total))


@compiled(f"void({PIECES}, {TABLE}, {TABLE}, {TABLE}, int32[::1], float64[::1], float64, int64, int64, float32[::1])")
def measure_pair(
    known: NDArray[np.float64],
    border: NDArray[np.float32],
    contrast: NDArray[np.float32],
    runs: NDArray[np.float32],
    alive: NDArray[np.int32],
    ground: NDArray[np.float64],
    total: float,
    one: int,
    other: int,
    out: NDArray[np.float32],
) -> None:
    """Measures of two pieces: of their colours, what is between them, their sizes, shapes and places."""
    small, large = (one, other) if known[one, SIZE] <= known[other, SIZE] else (other, one)
    a, b = known[small], known[large]
    root = np.sqrt(total)
    light_s, light_l = a[LIGHT] / a[SIZE], b[LIGHT] / b[SIZE]
    green_s, green_l = a[GREEN] / a[SIZE], b[GREEN] / b[SIZE]
    blue_s, blue_l = a[BLUE] / a[SIZE], b[BLUE] / b[SIZE]
    chroma = np.hypot(green_s - green_l, blue_s - blue_l)
    shared = border[small, large]
    edge_s, edge_l = max(a[EDGE], 1.0), max(b[EDGE], 1.0)
    out[0] = np.hypot(light_s - light_l, chroma)
    out[1] = abs(light_s - light_l)
    out[2] = chroma
    out[3] = contrast[small, large] / shared if shared > 0 else -1
    out[4] = shared / edge_s
    out[5] = shared / edge_l
    out[6] = np.log(a[SIZE] / total)
    out[7] = np.log(b[SIZE] / total)
    out[8] = a[DEPTH] / root
    out[9] = b[DEPTH] / root
    out[10] = a[DEPTH] / np.sqrt(a[SIZE])
    out[11] = b[DEPTH] / np.sqrt(b[SIZE])
    out[12] = light_s
    out[13] = light_l
    out[14] = np.hypot(green_s, blue_s)
    out[15] = np.hypot(green_l, blue_l)
    out[16] = _spread(a)
    out[17] = _spread(b)
    out[18] = a[RIM] / (4 * root)
    out[19] = b[RIM] / (4 * root)
    left, top = min(a[LEFT], b[LEFT]), min(a[TOP], b[TOP])
    right, bottom = max(a[RIGHT], b[RIGHT]), max(a[BOTTOM], b[BOTTOM])
    out[20] = (a[SIZE] + b[SIZE]) / ((right - left) * (bottom - top))
    across = min(a[RIGHT], b[RIGHT]) - max(a[LEFT], b[LEFT])
    down = min(a[BOTTOM], b[BOTTOM]) - max(a[TOP], b[TOP])
    box = (a[RIGHT] - a[LEFT]) * (a[BOTTOM] - a[TOP])
    out[21] = max(across, 0.0) * max(down, 0.0) / box
    out[22] = np.hypot(max(-across, 0.0), max(-down, 0.0)) / np.sqrt(box)
    out[23] = abs(a[DOWN] / a[SIZE] - b[DOWN] / b[SIZE]) / np.sqrt(box)
    out[24] = abs(a[ACROSS] / a[SIZE] - b[ACROSS] / b[SIZE]) / np.sqrt(box)
    out[25] = a[SIZE] / b[SIZE]
    out[26] = _away(a, ground)
    out[27] = _away(b, ground)
    out[28] = np.log(a[PATCHES])
    out[29] = np.log(b[PATCHES])
    # What else is beside the smaller one: is this the neighbour most like it, and the one it has most border with?
    least, most, between, between_depth = 9.0, 1.0, 0.0, 0.0
    straighter, straighter_l, like_s, like_l = 0.0, 0.0, 9.0, 9.0
    for third in alive:
        if third in (small, large):
            continue
        straighter = max(straighter, runs[small, third])
        straighter_l = max(straighter_l, runs[large, third])
        length = border[small, third]
        if border[large, third] > 0:
            like_l = min(like_l, _apart(b, known[third]))
        if length <= 0:
            continue
        like_s = min(like_s, _apart(a, known[third]))
        least = min(least, contrast[small, third] / length)
        most = max(most, length)
        if border[large, third] > 0:
            common = min(length / edge_s, border[large, third] / edge_l)
            if common > between:
                between, between_depth = common, known[third, DEPTH]
    out[30] = out[3] - least if shared > 0 else 9
    out[31] = shared / most
    out[32] = between
    out[33] = between_depth / max(a[DEPTH], 1.0)
    out[34] = (a[CONTRAST] / edge_s) - (contrast[small, large] / shared if shared > 0 else 0.0)
    # Two that are equal but for where they are, or one the mirror image of the other: box and filling alike.
    wide = min(a[RIGHT] - a[LEFT], b[RIGHT] - b[LEFT]) / max(a[RIGHT] - a[LEFT], b[RIGHT] - b[LEFT])
    high = min(a[BOTTOM] - a[TOP], b[BOTTOM] - b[TOP]) / max(a[BOTTOM] - a[TOP], b[BOTTOM] - b[TOP])
    out[35] = wide * high
    # How far the smaller one goes round the larger one, and which strokes run on into which.
    out[36] = max(across, 0.0) * max(down, 0.0) / ((b[RIGHT] - b[LEFT]) * (b[BOTTOM] - b[TOP]))
    out[37] = runs[small, large]
    out[38] = runs[small, large] - straighter
    out[39] = runs[small, large] - straighter_l
    out[40] = out[0] - like_s
    out[41] = out[0] - like_l
    # An outline is a little longer than what it goes round: how much of the border the two would have is left.
    out[42] = np.sqrt((edge_s + edge_l - 2 * shared) ** 2 / (a[SIZE] + b[SIZE]))
    out[43] = np.hypot(a[ACROSS] / a[SIZE] - b[ACROSS] / b[SIZE], a[DOWN] / a[SIZE] - b[DOWN] / b[SIZE]) / np.sqrt(
        b[SIZE]
    )


@compiled("void(float64[::1], float64[::1], float64, float64[::1], float64, float32[::1])")
def measure_whole(
    own: NDArray[np.float64],
    above: NDArray[np.float64],
    sure: float,
    ground: NDArray[np.float64],
    total: float,
    out: NDArray[np.float32],
) -> None:
    """Measures of a piece beside what it becomes part of; `sure` says how sure that merge was."""
    root = np.sqrt(total)
    edge = max(own[EDGE], 1.0)
    box = (own[RIGHT] - own[LEFT]) * (own[BOTTOM] - own[TOP])
    out[0] = sure
    out[1] = own[MADE]
    out[2] = own[MADE] - sure
    out[3] = np.log(own[SIZE] / total)
    out[4] = own[DEPTH] / root
    out[5] = own[DEPTH] / np.sqrt(own[SIZE])
    out[6] = own[CONTRAST] / edge
    out[7] = _spread(own)
    out[8] = own[RIM] / (4 * root)
    out[9] = own[SIZE] / box
    out[10] = np.log(own[PATCHES])
    out[11] = own[LIGHT] / own[SIZE]
    out[12] = np.hypot(own[GREEN], own[BLUE]) / own[SIZE]
    out[13] = _away(own, ground)
    out[14] = own[SIZE] / above[SIZE]
    out[15] = _spread(above)
    out[16] = above[RIM] / (4 * root)
    out[17] = above[CONTRAST] / max(above[EDGE], 1.0)
    out[18] = np.log(above[SIZE] / total)
    out[19] = edge * edge / own[SIZE]
    out[20] = above[SIZE] / ((above[RIGHT] - above[LEFT]) * (above[BOTTOM] - above[TOP]))
    out[21] = _away(above, ground)
    out[22] = np.log(above[PATCHES])
    out[23] = (own[RIGHT] - own[LEFT]) / root
    out[24] = (own[BOTTOM] - own[TOP]) / root
    out[25] = own[DEPTH] / max(above[DEPTH], 1.0)


@compiled(f"int64({TABLE}, boolean[::1], int64)")
def _best(value: NDArray[np.float32], is_alive: NDArray[np.bool_], one: int) -> int:
    best, top = -1, -np.inf
    for other in range(value.shape[0]):
        if other != one and is_alive[other] and value[one, other] > top:
            best, top = other, value[one, other]
    return best


@compiled(f"boolean({PIECES}, {TABLE}, int64, int64, float64)")
def may_belong(known: NDArray[np.float64], border: NDArray[np.float32], one: int, other: int, near: float) -> bool:
    """Whether two are looked at: side by side, or apart but alike in colour and size and not far from each other."""
    if border[one, other] > 0:
        return True
    a, b = known[one], known[other]
    if min(a[SIZE], b[SIZE]) < 0.1 * max(a[SIZE], b[SIZE]):
        return False
    if _apart(a, b) > near:
        return False
    gap = np.hypot(
        max(max(a[LEFT], b[LEFT]) - min(a[RIGHT], b[RIGHT]), 0.0),
        max(max(a[TOP], b[TOP]) - min(a[BOTTOM], b[BOTTOM]), 0.0),
    )
    a_wide, a_high = a[RIGHT] - a[LEFT], a[BOTTOM] - a[TOP]
    b_wide, b_high = b[RIGHT] - b[LEFT], b[BOTTOM] - b[TOP]
    # One behind the other, with something narrow between them.
    if gap <= 0.5 * min(max(a_wide, a_high), max(b_wide, b_high)):
        return True
    # A pair: about equal, beside or above each other.
    alike = min(a_wide, b_wide) / max(a_wide, b_wide) * min(a_high, b_high) / max(a_high, b_high)
    level = abs(a[DOWN] / a[SIZE] - b[DOWN] / b[SIZE]) < 0.3 * max(a_high, b_high)
    upright = abs(a[ACROSS] / a[SIZE] - b[ACROSS] / b[SIZE]) < 0.3 * max(a_wide, b_wide)
    return bool(
        alike > 0.5
        and (level or upright)
        and min(a[SIZE], b[SIZE]) > 0.5 * max(a[SIZE], b[SIZE])
        and gap < 3 * max(a_wide, a_high)
    )


@compiled("void(float64[::1], float64[::1], float64, float64)")
def join(one: NDArray[np.float64], other: NDArray[np.float64], shared: float, seen: float) -> None:
    """Make one piece of two, in the place of the first, that have a border of so many px between them, and so much contrast along it."""
    for column in SUMMED:
        one[column] += other[column]
    one[EDGE] += other[EDGE] - 2 * shared
    one[CONTRAST] += other[CONTRAST] - 2 * seen
    one[LEFT], one[TOP] = min(one[LEFT], other[LEFT]), min(one[TOP], other[TOP])
    one[RIGHT], one[BOTTOM] = max(one[RIGHT], other[RIGHT]), max(one[BOTTOM], other[BOTTOM])
    one[DEPTH] = max(one[DEPTH], other[DEPTH])


@compiled(
    f"int64({PIECES}, {TABLE}, {TABLE}, {TABLE}, float64[::1], float64, {TREES}, float64, int32[::1], float32[::1], {PIECES}, {TABLE}, int32[:, ::1])"
)
def merge(
    known: NDArray[np.float64],
    border: NDArray[np.float32],
    contrast: NDArray[np.float32],
    runs: NDArray[np.float32],
    ground: NDArray[np.float64],
    total: float,
    trees: Any,
    near: float,
    parents: NDArray[np.int32],
    sure: NDArray[np.float32],
    all_known: NDArray[np.float64],
    kept: NDArray[np.float32],
    kept_pairs: NDArray[np.int32],
) -> int:
    """Merge pieces, those first that belong together most, until one is left.

    Pieces count from 0 and lie in slots; what is made of two is in the slot of the first. `parents`, `sure` and `all_known` get
    a row for each piece that ever was. `kept` and `kept_pairs` get measures and pieces of every pair that was looked at, as far as
    they have room, for fitting. Answers how many were kept.
    """
    count = known.shape[0]
    piece = np.arange(count).astype(np.int32)
    is_alive = np.ones(count, np.bool_)
    value = np.full((count, count), -np.inf, np.float32)
    best = np.full(count, -1, np.int32)
    measures = np.zeros(PAIR, np.float32)
    alive = np.arange(count).astype(np.int32)
    used = 0
    for one in range(count):
        all_known[one] = known[one]
        for other in range(one):
            if may_belong(known, border, one, other, near):
                measure_pair(known, border, contrast, runs, alive, ground, total, one, other, measures)
                value[one, other] = value[other, one] = sum_of(trees, measures)
                if used < kept.shape[0]:
                    kept[used] = measures
                    kept_pairs[used, 0], kept_pairs[used, 1] = one, other
                    used += 1
    for one in range(count):
        best[one] = _best(value, is_alive, one)
    made = count
    for _ in range(count - 1):
        first, top = -1, -np.inf
        for slot in range(count):
            if is_alive[slot] and best[slot] >= 0 and value[slot, best[slot]] > top:
                first, top = slot, value[slot, best[slot]]
        if first < 0:
            # Nothing is beside anything any more: islands, which become one in the end.
            first, second, top = int(alive[0]), int(alive[1]), -50.0
        else:
            second = int(best[first])
        if second < first:
            first, second = second, first
        a, b = known[first], known[second]
        join(a, b, border[first, second], contrast[first, second])
        a[MADE] = top
        parents[piece[first]] = parents[piece[second]] = made
        sure[piece[first]] = sure[piece[second]] = top
        all_known[made] = a
        piece[first] = made
        made += 1
        is_alive[second] = False
        alive = np.flatnonzero(is_alive).astype(np.int32)
        for third in range(count):
            if third != first and is_alive[third]:
                border[first, third] += border[second, third]
                contrast[first, third] += contrast[second, third]
                runs[first, third] = runs[third, first] = max(runs[first, third], runs[second, third])
                border[third, first] = border[first, third]
                contrast[third, first] = contrast[first, third]
        for third in range(count):
            if third == first or not is_alive[third]:
                continue
            if may_belong(known, border, first, third, near):
                measure_pair(known, border, contrast, runs, alive, ground, total, first, third, measures)
                value[first, third] = value[third, first] = sum_of(trees, measures)
                if used < kept.shape[0]:
                    kept[used] = measures
                    kept_pairs[used, 0], kept_pairs[used, 1] = piece[first], piece[third]
                    used += 1
            else:
                value[first, third] = value[third, first] = -np.inf
        best[first] = _best(value, is_alive, first)
        for third in range(count):
            if third == first or not is_alive[third]:
                continue
            if best[third] in (first, second):
                best[third] = _best(value, is_alive, third)
            elif value[third, first] > (value[third, best[third]] if best[third] >= 0 else -np.inf):
                best[third] = first
    return used
