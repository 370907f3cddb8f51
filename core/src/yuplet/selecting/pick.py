"""Picking parts of a flat picture: what a few clicks take.

A click takes one of the nested pieces around it, or takes it away: the one after which what is chosen is expected to overlap a part
most (`choice`, fitted as `belonging` says). It never takes what an earlier click of the other kind said. Where both kinds lie in
one patch, its pixels go to the nearest click.
"""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict, StrictBool, StrictInt
from pydantic.dataclasses import dataclass

from yuplet.compiled import READ_ONLY, compiled
from yuplet.errors import NothingThere
from yuplet.pixels import Picture
from yuplet.selecting import belonging
from yuplet.selecting.belonging import WHOLE, learned, said
from yuplet.selecting.masks import Chosen
from yuplet.selecting.nested import Nested
from yuplet.selecting.regions import Labels
from yuplet.selecting.strokes import are_strokes

CHOICE = WHOLE + 24
"""Measures of a piece that a click may take."""
_BESIDE = 2
"""Pixels of the working size beside a border among which it is found again."""
SURE = 2.0
"""Log odds from which two pieces surely belong together."""
ALIKE = 0.04
"""Share of their size by which pieces around a click differ at least to be told apart."""
_THIN = 0.012
"""Half the thickness of a line as a share of the picture's side, at the most."""
_ALONG, _ENDS = 0.2, 0.15
"""The share of a line's border that what is chosen has at least, and that others have at its ends at the most."""
_LIKE_GROUND = 0.12
"""OKLab distance up to which patches are ground, as the one is that has most of the rim."""
MIDDLE = 0.5
"""How deep a click lies at least in what it takes, as a share of how deep that is."""
WORSE = 0.02
"""By how much what a click takes may be expected to be worse than what was chosen before it."""


@dataclass(frozen=True, slots=True, config=ConfigDict(extra="forbid"))
class Click:
    """A pixel, and whether a click there adds or takes away."""

    x: StrictInt
    y: StrictInt
    add: StrictBool = True


def picked(
    picture: Picture, nested: Nested, clicks: Sequence[Click], steps: int = 0, gone: Chosen | None = None
) -> Chosen:
    """What clicks take of a picture, (H, W) bool.

    `nested` are the pieces of that picture. `steps` goes that many pieces up (or down, when negative) from what the last click would
    take. `gone`, (H, W) bool, is what has been taken out already: a line between that, or the ground, and what is chosen comes along.

    Raises
    ------
    NothingThere
        When a click that adds lies where nothing is.
    """
    state = Choosing(nested)
    for index, click in enumerate(clicks):
        path, measures = state.offered(_at_work(picture, nested, click))
        if not path:
            continue
        said_so = said(learned("choice"), measures)
        at = int(np.argmax(said_so))
        if index == len(clicks) - 1:
            at = _stepped(nested.known[path, belonging.SIZE], at, steps)
        state.take(path[at], float(said_so[at]))
    state.take_lines(None if gone is None else gone[np.ix_(*nested.sampled(*picture.shape[:2]))])
    mask = state.mask()
    return mask if nested.scale == 1 else _at_full_size(picture, nested, mask)


def _stepped(sizes: NDArray[np.float64], at: int, steps: int) -> int:
    """So many pieces up or down from one; those that hardly differ in size count as one."""
    way = 1 if steps > 0 else -1
    for _ in range(abs(steps)):
        following = at + way
        while 0 <= following < len(sizes) and abs(np.log(sizes[following] / sizes[at])) < ALIKE:
            following += way
        if not 0 <= following < len(sizes):
            break
        at = following
    return at


def _at_work(picture: Picture, nested: Nested, click: Click) -> Click:
    """The same click in the picture at its working size; one beside the picture stays beside it."""
    if not (0 <= click.x < picture.shape[1] and 0 <= click.y < picture.shape[0]):
        return Click(-1, -1, click.add)
    rows, columns = nested.grid(*picture.shape[:2])
    return Click(int(columns[click.x]), int(rows[click.y]), click.add)


def _at_full_size(picture: Picture, nested: Nested, mask: Chosen) -> Chosen:
    """A mask of the working size in the picture: beside its border, each pixel goes to the side whose colours are more like its own."""
    height, width = picture.shape[:2]
    result = np.zeros((height, width), bool)
    if not mask.any():
        return result
    rows, columns = nested.grid(height, width)
    cross = cv2.getStructuringElement(cv2.MORPH_RECT, (2 * _BESIDE + 1, 2 * _BESIDE + 1))
    as_bytes = mask.astype(np.uint8)
    around = cv2.dilate(as_bytes, cross) > 0
    reached: list[NDArray[np.bool_]] = [np.asarray(around.any(axis=axis)) for axis in (1, 0)]
    there = _range_of(reached[0][rows]), _range_of(reached[1][columns])
    rows, columns = rows[there[0]], columns[there[1]]
    # By rows and then by columns: a tenth of the time that it takes for both at once.
    inside = mask.take(rows, 0).take(columns, 1)
    y, x = np.nonzero((around & (cv2.erode(as_bytes, cross) == 0)).take(rows, 0).take(columns, 1))
    own = picture[there[0], there[1]]
    said = inside[y, x]
    places = np.stack([rows[y], columns[x]], axis=1).astype(np.int32)
    _decide(np.ascontiguousarray(own[y, x]), np.ascontiguousarray(nested.picture), mask, places, 2 * _BESIDE, said)
    inside[y, x] = said
    result[there[0], there[1]] = inside & (own[..., 3] > 0)
    return result


def _range_of(there: NDArray[np.bool_]) -> slice:
    found = np.flatnonzero(there)
    return slice(int(found[0]), int(found[-1]) + 1)


@compiled(
    f"void(uint8[:, ::1], {READ_ONLY.format('uint8', 3, 'C')}, boolean[:, ::1], int32[:, ::1], int64, boolean[::1])"
)
def _decide(
    colours: NDArray[np.uint8],
    work: Picture,
    mask: Chosen,
    places: NDArray[np.int32],
    reach: int,
    out: NDArray[np.bool_],
) -> None:
    """Whether each colour is more like the mean of the mask's pixels around its place than like that of the others; what has only one
    of the two near stays as it is.
    """
    height, width = mask.shape
    sums = np.zeros((2, 4))
    for index in range(places.shape[0]):
        sums[:] = 0
        row, column = places[index, 0], places[index, 1]
        for y in range(max(row - reach, 0), min(row + reach + 1, height)):
            for x in range(max(column - reach, 0), min(column + reach + 1, width)):
                if work[y, x, 3] == 0:
                    continue
                side = 1 if mask[y, x] else 0
                sums[side, 3] += 1
                for channel in range(3):
                    sums[side, channel] += work[y, x, channel]
        if sums[0, 3] == 0 or sums[1, 3] == 0:
            continue
        away = np.zeros(2)
        for side in range(2):
            for channel in range(3):
                away[side] += (sums[side, channel] / sums[side, 3] - colours[index, channel]) ** 2
        out[index] = away[1] < away[0]


class Choosing:
    """What is chosen while clicks come, in the picture at its working size."""

    def __init__(self, nested: Nested) -> None:
        """Nothing is chosen at first."""
        self.nested = nested
        self.chosen = np.zeros(nested.count + 1, bool)
        self.clicks: list[Click] = []
        self.patches: list[int] = []
        self.expected = 0.0
        self._discs: list[tuple[Click, float]] = []
        self._away = np.zeros(0, np.float32)
        self._deep = np.zeros(0, np.float32)
        self._path: list[int] = []

    def offered(self, click: Click) -> tuple[list[int], NDArray[np.float32]]:
        """The pieces that a click may take, and their measures; raises NothingThere when it adds where nothing is."""
        patch = patch_at(self.nested, click)
        self.clicks.append(click)
        self.patches.append(patch)
        if patch < 0:
            if click.add:
                raise NothingThere("The part is empty here. Click on its art.")
            return [], np.zeros((0, CHOICE), np.float32)
        before = zip(self.clicks[:-1], self.patches, strict=False)
        others = {other for one, other in before if one.add != click.add} - {-1}
        taboo = {piece for other in others for piece in self.nested.path(other)}
        path = [piece for piece in self.nested.path(patch) if piece not in taboo]
        if not path:
            return [], np.zeros((0, CHOICE), np.float32)
        self._path = path
        holds = np.stack([self.nested.patches_of(piece) for piece in path])
        self._away = away_from(self.nested, click)
        self._deep = np.where(holds[:, 1:], np.inf, self._away[None]).min(axis=1)
        return path, self._measures(path, holds, click)

    def take(self, piece: int, expected: float) -> None:
        """Take a piece, or take it away, as the last click says. When that is expected to make it much worse, take what surely belongs
        together around the click if that is in the middle of a patch, else only what lies between the click and the border of what is chosen.
        """
        click = self.clicks[-1]
        if len(self.clicks) > 1 and expected < self.expected - WORSE:
            patch, reach = self.patches[-1], self._to_border(click)
            if reach < 0.5 * self.nested.known[patch, belonging.DEPTH]:
                self._discs.append((click, reach + 1.5))
                self.patches[-1] = -1
            else:
                self.chosen[self.nested.patches_of(self._sure_piece())] = click.add
            return
        self.chosen[self.nested.patches_of(piece)] = click.add
        self.expected = expected

    def take_lines(self, gone: Chosen | None) -> None:
        """Choose each line as well that has nothing beside it but what is chosen, the ground, other lines, and what is `gone`, (h, w) of the
        working size: else it would be left over, since it is nobody else's.
        """
        nested = self.nested
        own = nested.known[: nested.count]
        chosen = self.chosen[1:]
        if not chosen.any():
            return
        depth = own[:, belonging.DEPTH]
        near = _near_ground(nested)
        lines = are_strokes(own[:, belonging.SIZE], depth) & (depth <= _THIN * np.sqrt(nested.total))
        lines &= ~near & (own[:, belonging.RIM] == 0)
        free = (near & (own[:, belonging.RIM] > 0)) | chosen | lines
        if gone is not None:
            taken = np.bincount(nested.labels[gone], minlength=nested.count + 1)[1:]
            free |= taken > 0.5 * own[:, belonging.SIZE]
        others = nested.border[:, ~free].sum(axis=1)
        bare = lines & ~chosen & (others <= _ENDS * own[:, belonging.EDGE])
        shared = nested.border[:, chosen].sum(axis=1)
        bare &= shared >= _ALONG * own[:, belonging.EDGE]
        bare[[patch for patch in self.patches if patch >= 0]] = False
        self.chosen[1:] |= bare

    def mask(self) -> Chosen:
        """The pixels that are chosen; each pixel of a patch in which clicks of both kinds lie goes to the nearest of them."""
        nested = self.nested
        mask: Chosen = self.chosen[nested.labels]
        for click, wide in self._discs:
            # What was said elsewhere stays so.
            others = [np.hypot(one.x - click.x, one.y - click.y) for one in self.clicks if one.add != click.add]
            radius = min([wide, *[away / 2 for away in others]])
            reach = int(np.ceil(radius))
            left, top = max(click.x - reach, 0), max(click.y - reach, 0)
            part = mask[top : click.y + reach + 1, left : click.x + reach + 1]
            y, x = np.ogrid[top : top + part.shape[0], left : left + part.shape[1]]
            part[np.hypot(x - click.x, y - click.y) <= radius] = click.add
        for patch in set(self.patches) - {-1}:
            # Of two at one place the later counts.
            own = [one for one, other in zip(self.clicks, self.patches, strict=True) if other == patch][::-1]
            if len({click.add for click in own}) < 2:
                continue
            rows, columns = np.nonzero(nested.labels == patch + 1)
            away = np.stack([(columns - click.x) ** 2 + (rows - click.y) ** 2 for click in own])
            mask[rows, columns] = np.array([click.add for click in own])[away.argmin(axis=0)]
        return mask

    def _measures(self, path: list[int], holds: NDArray[np.bool_], click: Click) -> NDArray[np.float32]:
        return _choice_measures(
            self.nested,
            path,
            holds,
            self.chosen,
            click,
            len(self.clicks) - 1,
            self._away,
            self.expected,
            self._to_border(click),
        )

    def _sure_piece(self) -> int:
        """The largest piece around the last click that is of nothing but what belongs together more likely than not."""
        piece, *larger = self._path
        for above, deep in zip(larger, self._deep[1:], strict=True):
            if self.nested.sure[piece] < SURE or deep < MIDDLE * self.nested.known[above, belonging.DEPTH]:
                break
            piece = above
        return piece

    def _to_border(self, click: Click) -> float:
        """How far a click is from what is chosen, or from what is not when it takes away."""
        beyond = self.chosen[1:] == click.add
        return float(self._away[beyond].min()) if beyond.any() else float(np.sqrt(self.nested.total))


def _near_ground(nested: Nested) -> NDArray[np.bool_]:
    """Which patches are of about the colour of what has most of the picture's rim, on which a figure stands."""
    own = nested.known[: nested.count]
    rim = own[:, belonging.RIM]
    colours = own[:, belonging.LIGHT : belonging.BLUE + 1] / own[:, belonging.SIZE, None]
    near: NDArray[np.bool_] = np.linalg.norm(colours - colours[int(rim.argmax())], axis=1) <= _LIKE_GROUND
    return near


def patch_at(nested: Nested, click: Click) -> int:
    """The patch, from 0, that a click lies in; -1 for none."""
    height, width = nested.labels.shape
    if not (0 <= click.x < width and 0 <= click.y < height):
        return -1
    return int(nested.labels[click.y, click.x]) - 1


def away_from(nested: Nested, click: Click) -> NDArray[np.float32]:
    """How far the nearest pixel of each patch is from a click."""
    away = np.full(nested.count + 1, np.inf, np.float32)
    _nearest(nested.labels, click.x, click.y, away)
    result: NDArray[np.float32] = np.sqrt(away[1:])
    return result


@compiled(f"void({READ_ONLY.format('int32', 2, 'C')}, int64, int64, float32[::1])")
def _nearest(labels: Labels, x: int, y: int, away: NDArray[np.float32]) -> None:
    for row in range(labels.shape[0]):
        for column in range(labels.shape[1]):
            squared = (row - y) ** 2 + (column - x) ** 2
            if squared < away[labels[row, column]]:
                away[labels[row, column]] = squared


def _choice_measures(
    nested: Nested,
    path: Sequence[int],
    holds: NDArray[np.bool_],
    chosen: NDArray[np.bool_],
    click: Click,
    index: int,
    away: NDArray[np.float32],
    expected: float,
    to_border: float,
) -> NDArray[np.float32]:
    """Measures of the pieces that a click may take, beside what is chosen so far; `holds` are their patches, a row each."""
    own = nested.known[path]
    sizes = nested.known[: nested.count, belonging.SIZE]
    inside, before = holds[:, 1:], chosen[1:]
    size = own[:, belonging.SIZE]
    taken = float(sizes[before].sum())
    common = inside @ np.where(before, sizes, 0)
    out = np.zeros((len(path), CHOICE), np.float32)
    out[:, :WHOLE] = nested.measures[path]
    rest = out[:, WHOLE:]
    rest[:, 0] = min(index, 4)
    rest[:, 1] = float(click.add)
    rest[:, 2] = np.log(size / max(taken, 1))
    rest[:, 3] = common / size
    rest[:, 4] = common / max(taken, 1)
    x, y = click.x, click.y
    root = np.sqrt(size)
    rest[:, 5] = np.hypot(own[:, belonging.ACROSS] / size - x, own[:, belonging.DOWN] / size - y) / root
    wide, high = own[:, belonging.RIGHT] - own[:, belonging.LEFT], own[:, belonging.BOTTOM] - own[:, belonging.TOP]
    rest[:, 6] = np.abs((own[:, belonging.LEFT] + own[:, belonging.RIGHT]) / 2 - x) / wide
    rest[:, 7] = np.abs((own[:, belonging.TOP] + own[:, belonging.BOTTOM]) / 2 - y) / high
    rest[:, 8] = np.arange(len(path))
    rest[:, 9] = len(path)
    after = taken + np.where(click.add, size - common, 0 - common)
    rest[:, 10] = np.log(np.maximum(after, 1) / nested.total)
    if taken:
        colour = nested.known[: nested.count][before][:, belonging.LIGHT : belonging.BLUE + 1].sum(axis=0) / taken
        rest[:, 11] = np.linalg.norm(own[:, belonging.LIGHT : belonging.BLUE + 1] / size[:, None] - colour, axis=1)
        beside = nested.border[:, before].sum(axis=1)
        sharp = nested.contrast[:, before].sum(axis=1)
        fresh = inside & ~before
        shared = fresh @ beside
        rest[:, 12] = shared / np.maximum(own[:, belonging.EDGE], 1)
        rest[:, 13] = np.where(shared > 0, (fresh @ sharp) / np.maximum(shared, 1), -1)
    rest[:, 14] = np.r_[0, size[:-1] / size[1:]]
    # How much of a piece's patches is like the one that was clicked.
    light = nested.known[: nested.count, belonging.LIGHT : belonging.BLUE + 1] / np.maximum(sizes, 1)[:, None]
    like = np.linalg.norm(light - light[inside[0].argmax()], axis=1) < 0.06
    rest[:, 15] = (inside @ np.where(like, sizes, 0)) / size
    rest[:, 16] = (inside @ np.where(like, sizes, 0)) / max(float(sizes[like].sum()), 1)
    # How deep the click lies in each piece, and how far it is from what is chosen: one clicks in the middle of what is missing.
    deep = np.where(inside, np.inf, away[None]).min(axis=1)
    deep = np.minimum(deep, np.sqrt(nested.total))
    depth = own[:, belonging.DEPTH]
    rest[:, 17] = deep / depth
    rest[:, 18] = to_border / depth
    rest[:, 19] = to_border / np.sqrt(nested.total)
    rest[:, 20] = np.minimum(deep, to_border) / depth
    rest[:, 21] = deep / np.sqrt(nested.total)
    rest[:, 22] = expected
    rest[:, 23] = np.r_[deep[1:], np.sqrt(nested.total)] / np.maximum(deep, 1)
    return out
