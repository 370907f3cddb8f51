"""The nested pieces of a flat picture: patches, and what they become part of."""

import math
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import READ_ONLY, compiled
from yuplet.errors import NothingThere
from yuplet.pixels import Picture
from yuplet.selecting import belonging
from yuplet.selecting.belonging import COLUMNS, PAIR, PIECES, TABLE, WHOLE, Trees, learned, said
from yuplet.selecting.masks import Chosen, distance_to
from yuplet.selecting.patches import patches, rims_of
from yuplet.selecting.regions import Labels
from yuplet.selecting.strokes import runs_on

WORKING_SIDE = 1024
"""Pixels of the longer side of the picture that is divided; a larger one is made smaller, and borders are found again in it."""
SMALL_SIDE = 512
"""Pixels of the longer side below which a picture is made larger, a whole number of times: measures are fitted on such sizes."""
_REACH = 3
"""Pixels from a border at which the colours beside it are compared: smoothed edges are narrower."""
NEAR = 0.06
"""OKLab distance up to which pieces that do not touch may belong together."""


@dataclass(frozen=True, slots=True, eq=False)
class Nested:
    """Nested pieces of a picture.

    `labels` (h, w) counts patches from 1, 0 is empty, in the picture at its working size, which is `scale` times its own.
    `parents[i]` is the piece that piece i becomes part of (itself: none); the first `count` pieces are the patches, piece i having
    label i + 1. `sure[i]` says how sure that is (log odds); `whole[i]` is by how much (0 to 1) piece i is expected to overlap a part.
    `known` are columns of `belonging` for each piece; `border` and `contrast` those between patches, `runs` how straight strokes run on
    between them; `measures` those of each piece; `ground` is the colour of what has most of the rim; `picture` is the picture at its working
    size.
    """

    labels: Labels
    count: int
    parents: NDArray[np.int32]
    sure: NDArray[np.float32]
    whole: NDArray[np.float32]
    known: NDArray[np.float64]
    measures: NDArray[np.float32]
    border: NDArray[np.float32]
    contrast: NDArray[np.float32]
    runs: NDArray[np.float32]
    ground: NDArray[np.float64]
    total: float
    picture: Picture
    scale: float = 1.0

    def grid(self, height: int, width: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """For each row and each column of the picture, the one of the working size."""
        return _nearest_of((height, width), self.labels.shape, self.scale)

    def sampled(self, height: int, width: int) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """For each row and each column of the working size, the one of the picture."""
        return _nearest_of(self.labels.shape, (height, width), 1 / self.scale)

    def path(self, patch: int) -> list[int]:
        """The pieces that a patch is in, from itself up."""
        found = [patch]
        while self.parents[found[-1]] != found[-1]:
            found.append(int(self.parents[found[-1]]))
        return found

    def patches_of(self, piece: int) -> NDArray[np.bool_]:
        """Which labels a piece has, (count + 1,)."""
        inside = np.zeros(len(self.parents), bool)
        _mark(self.parents, piece, inside)
        return np.concatenate([[False], inside[: self.count]])

    def at(self, pieces: int) -> NDArray[np.int32]:
        """For each label, (count + 1,), the piece that it is in when the picture is in at most so many, from 1; 0 is what is empty."""
        made = len(self.parents)
        first = self.count + max(self.count - max(pieces, 1), 0) - 1
        top = np.arange(made)
        # Later pieces are made of earlier ones, so one way down is enough.
        for piece in range(min(first, made - 1), -1, -1):
            parent = self.parents[piece]
            top[piece] = top[parent] if parent <= first and parent != piece else piece
        _, numbers = np.unique(top[: self.count], return_inverse=True)
        return np.concatenate([[0], numbers + 1]).astype(np.int32)


def _nearest_of(
    here: tuple[int, ...], there: tuple[int, ...], scale: float
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    rows, columns = (
        np.minimum(((np.arange(length) + 0.5) * scale).astype(np.intp), most - 1)
        for length, most in zip(here, there, strict=True)
    )
    return rows, columns


@compiled(f"void({READ_ONLY.format('int32', 1, 'C')}, int64, boolean[::1])")
def _mark(parents: NDArray[np.int32], piece: int, inside: NDArray[np.bool_]) -> None:
    """Mark a piece and all that it is made of."""
    inside[piece] = True
    for one in range(piece - 1, -1, -1):
        if inside[parents[one]]:
            inside[one] = True


@dataclass(frozen=True, slots=True, eq=False)
class Measured:
    """Patches of a picture with what is known of them."""

    picture: Picture
    labels: Labels
    known: NDArray[np.float64]
    border: NDArray[np.float32]
    contrast: NDArray[np.float32]
    runs: NDArray[np.float32]
    ground: NDArray[np.float64]
    total: float


def measured(picture: Picture) -> Measured:
    """Patches of a picture and what is known of them; raises NothingThere when it is empty."""
    there: Chosen = picture[..., 3] >= 128
    if not there.any():
        raise NothingThere("The part is empty, so there is nothing to divide.")
    labels, colours = patches(picture, there, max(int(there.sum()) // 20_000, 6))
    count = int(labels.max())
    depth = distance_to(rims_of(labels)) + 1
    known = np.zeros((count, COLUMNS))
    border = np.zeros((count, count), np.float32)
    contrast = np.zeros((count, count), np.float32)
    _measure(
        np.ascontiguousarray(labels),
        np.ascontiguousarray(colours),
        depth.astype(np.float32),
        known,
        border,
        contrast,
        _REACH,
    )
    rims = known[:, belonging.RIM]
    ground = np.zeros(3)
    if rims.any():
        most = int(rims.argmax())
        ground = known[most, belonging.LIGHT : belonging.BLUE + 1] / known[most, belonging.SIZE]
    runs = runs_on(labels, known[:, belonging.SIZE], known[:, belonging.DEPTH])
    return Measured(picture, labels, known, border, contrast, runs, ground, float(there.sum()))


@compiled(f"void(int32[:, ::1], float32[:, :, ::1], {TABLE}, {PIECES}, {TABLE}, {TABLE}, int64)")
def _measure(
    labels: Labels,
    colours: NDArray[np.float32],
    depth: NDArray[np.float32],
    known: NDArray[np.float64],
    border: NDArray[np.float32],
    contrast: NDArray[np.float32],
    reach: int,
) -> None:
    height, width = labels.shape
    known[:, belonging.LEFT] = width
    known[:, belonging.TOP] = height
    known[:, belonging.MADE] = 12
    known[:, belonging.PATCHES] = 1
    for y in range(height):
        for x in range(width):
            one = labels[y, x] - 1
            if one < 0:
                for v, u in ((y, x + 1), (y + 1, x)):
                    if v < height and u < width and labels[v, u] > 0:
                        known[labels[v, u] - 1, belonging.EDGE] += 1
                continue
            own = known[one]
            own[belonging.SIZE] += 1
            for channel in range(3):
                colour = colours[y, x, channel]
                own[belonging.LIGHT + channel] += colour
                own[belonging.SQUARED] += colour * colour
            own[belonging.LEFT] = min(own[belonging.LEFT], x)
            own[belonging.TOP] = min(own[belonging.TOP], y)
            own[belonging.RIGHT] = max(own[belonging.RIGHT], x + 1)
            own[belonging.BOTTOM] = max(own[belonging.BOTTOM], y + 1)
            own[belonging.DEPTH] = max(own[belonging.DEPTH], depth[y, x])
            own[belonging.ACROSS] += x
            own[belonging.DOWN] += y
            if x == 0 or y == 0 or x == width - 1 or y == height - 1:
                own[belonging.RIM] += 1
            for dy, dx in ((0, 1), (1, 0)):
                v, u = y + dy, x + dx
                if v >= height or u >= width:
                    continue
                other = labels[v, u] - 1
                if other == one:
                    continue
                own[belonging.EDGE] += 1
                if other < 0:
                    continue
                known[other, belonging.EDGE] += 1
                # The colours a little way from the border on both sides, as far as these are of the two.
                a, b, c, d = y, x, v, u
                for step in range(1, reach + 1):
                    p, q = y - dy * step, x - dx * step
                    if p < 0 or q < 0 or labels[p, q] - 1 != one:
                        break
                    a, b = p, q
                for step in range(1, reach + 1):
                    p, q = v + dy * step, u + dx * step
                    if p >= height or q >= width or labels[p, q] - 1 != other:
                        break
                    c, d = p, q
                away = 0.0
                for channel in range(3):
                    away += (colours[a, b, channel] - colours[c, d, channel]) ** 2
                away = np.sqrt(away)
                border[one, other] += 1
                border[other, one] += 1
                contrast[one, other] += away
                contrast[other, one] += away
                own[belonging.CONTRAST] += away
                known[other, belonging.CONTRAST] += away


def merged(
    found: Measured, trees: Trees, keep: int = 0
) -> tuple[NDArray[np.int32], NDArray[np.float32], NDArray[np.float64], NDArray[np.float32], NDArray[np.int32]]:
    """The tree of merging: parents, how sure each piece's merge was, what is known of each piece; and of up to `keep` pairs that
    were looked at, the measures and the pieces.
    """
    count = len(found.known)
    pieces = 2 * count - 1
    parents = np.arange(pieces, dtype=np.int32)
    sure = np.full(pieces, -12, np.float32)
    known = np.zeros((pieces, COLUMNS))
    kept = np.zeros((keep, PAIR), np.float32)
    pairs = np.zeros((keep, 2), np.int32)
    used = belonging.merge(
        found.known.copy(),
        found.border.copy(),
        found.contrast.copy(),
        found.runs.copy(),
        found.ground,
        found.total,
        trees.arrays,
        NEAR,
        parents,
        sure,
        known,
        kept,
        pairs,
    )
    return parents, sure, known, kept[:used], pairs[:used]


def wholes(
    parents: NDArray[np.int32], sure: NDArray[np.float32], known: NDArray[np.float64], found: Measured
) -> NDArray[np.float32]:
    """Measures of each piece as a whole."""
    out = np.zeros((len(parents), WHOLE), np.float32)
    for piece in range(len(parents)):
        belonging.measure_whole(
            known[piece], known[parents[piece]], float(sure[piece]), found.ground, found.total, out[piece]
        )
    return out


def of_measured(found: Measured, pair: Trees, whole: Trees) -> Nested:
    """The tree of merging by measures of pairs and of pieces."""
    parents, sure, known, _, _ = merged(found, pair)
    measures = wholes(parents, sure, known, found)
    return Nested(
        found.labels,
        len(found.known),
        parents,
        sure,
        said(whole, measures),
        known,
        measures,
        found.border,
        found.contrast,
        found.runs,
        found.ground,
        found.total,
        found.picture,
    )


def nested(picture: Picture) -> Nested:
    """Divide a picture into nested pieces; raises NothingThere when it is empty."""
    height, width = picture.shape[:2]
    longer = max(height, width)
    scale = 1.0
    if longer > WORKING_SIDE:
        scale = WORKING_SIDE / longer
    elif longer < SMALL_SIDE:
        scale = float(math.ceil(SMALL_SIDE / longer))
    work = picture if scale == 1 else _resized(picture, scale)
    return replace(of_measured(measured(work), learned("pair"), learned("whole")), scale=scale)


def _resized(picture: Picture, scale: float) -> Picture:
    """A picture larger or smaller; what is empty mixes no colour into what is beside it."""
    height, width = picture.shape[:2]
    size = (max(round(width * scale), 1), max(round(height * scale), 1))
    how = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    there = picture[..., 3] > 0
    if there.all():
        return cv2.resize(picture, size, interpolation=how).astype(np.uint8, copy=False)
    result = cv2.resize(np.where(there[..., None], picture, 0), size, interpolation=how).astype(np.uint8, copy=False)
    cover = cv2.resize(there.astype(np.float32), size, interpolation=how).reshape(result.shape[:2])
    colours = result[..., :3] / np.maximum(cover, 1e-6)[..., None]
    result[..., :3] = np.clip(np.rint(colours), 0, 255)
    return result
