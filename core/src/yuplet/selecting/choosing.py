"""Pieces of a picture that clicks take whole: one of those around each click.

A click takes one of the nested pieces around it, or takes it away: the one after which what is chosen is expected to overlap a part
most (`choice`, fitted as `belonging` says). It never takes what an earlier click of the other kind said. Where both kinds lie in
one patch, its pixels go to the nearest click.
"""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from pydantic import ConfigDict, StrictBool, StrictInt
from pydantic.dataclasses import dataclass

from yuplet.compiled import READ_ONLY, compiled
from yuplet.errors import NothingThere
from yuplet.selecting import belonging
from yuplet.selecting.belonging import WHOLE
from yuplet.selecting.masks import Chosen
from yuplet.selecting.nested import Nested
from yuplet.selecting.regions import Labels
from yuplet.selecting.strokes import are_strokes

CHOICE = WHOLE + 24
"""Measures of a piece that a click may take."""
SURE = 2.0
"""Log odds from which two pieces surely belong together."""
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


class Choosing:
    """What is chosen while clicks come, in the picture at its working size."""

    def __init__(self, nested: Nested) -> None:
        """Nothing is chosen at first."""
        self.nested = nested
        self.chosen = np.zeros(nested.count + 1, bool)
        self.clicks: list[Click] = []
        self.patches: list[int] = []
        self.expected = 0.0
        self.discs: list[tuple[Click, float]] = []
        self.away = np.zeros(0, np.float32)
        self._deep = np.zeros(0, np.float32)
        self.path: list[int] = []

    def offered(self, click: Click) -> tuple[list[int], NDArray[np.float32]]:
        """The pieces that a click may take, and their measures; raises NothingThere when it adds where nothing is."""
        patch = patch_there(self.nested, click)
        self.clicks.append(click)
        self.patches.append(patch)
        self.path = []
        if patch < 0:
            return [], np.zeros((0, CHOICE), np.float32)
        self.away = away_from(self.nested, click)
        before = zip(self.clicks[:-1], self.patches, strict=False)
        others = {other for one, other in before if one.add != click.add} - {-1}
        taboo = {piece for other in others for piece in self.nested.path(other)}
        path = [piece for piece in self.nested.path(patch) if piece not in taboo]
        if not path:
            return [], np.zeros((0, CHOICE), np.float32)
        self.path = path
        holds = np.stack([self.nested.patches_of(piece) for piece in path])
        self._deep = np.where(holds[:, 1:], np.inf, self.away[None]).min(axis=1)
        return path, self._measures(path, holds, click)

    def take(self, piece: int, expected: float) -> None:
        """Take a piece, or take it away, as the last click says. When that is expected to make it much worse, take what surely belongs
        together around the click if that is in the middle of a patch, else only what lies between the click and the border of what is chosen.
        """
        click = self.clicks[-1]
        if len(self.clicks) > 1 and expected < self.expected - WORSE:
            patch, reach = self.patches[-1], self._to_border(click)
            if reach < 0.5 * self.nested.known[patch, belonging.DEPTH]:
                self.discs.append((click, reach + 1.5))
                self.patches[-1] = -1
            else:
                self.chosen[self.nested.patches_of(self._sure_piece())] = click.add
            return
        self.chosen[self.nested.patches_of(piece)] = click.add
        self.expected = expected

    def mask(self) -> Chosen:
        """The pixels that are chosen."""
        return mask_of(self.nested, self.chosen, self.clicks, self.patches, self.discs)

    def _measures(self, path: list[int], holds: NDArray[np.bool_], click: Click) -> NDArray[np.float32]:
        return _choice_measures(
            self.nested,
            path,
            holds,
            self.chosen,
            click,
            len(self.clicks) - 1,
            self.away,
            self.expected,
            self._to_border(click),
        )

    def _sure_piece(self) -> int:
        """The largest piece around the last click that is of nothing but what belongs together more likely than not."""
        piece, *larger = self.path
        for above, deep in zip(larger, self._deep[1:], strict=True):
            if self.nested.sure[piece] < SURE or deep < MIDDLE * self.nested.known[above, belonging.DEPTH]:
                break
            piece = above
        return piece

    def _to_border(self, click: Click) -> float:
        """How far a click is from what is chosen, or from what is not when it takes away."""
        beyond = self.chosen[1:] == click.add
        return float(self.away[beyond].min()) if beyond.any() else float(np.sqrt(self.nested.total))


def with_lines(
    nested: Nested, chosen: NDArray[np.bool_], gone: Chosen | None, clicked: Sequence[int] = ()
) -> NDArray[np.bool_]:
    """What is chosen, (count + 1,), and each line as well that has nothing beside it but what is chosen, the ground, other lines, and what is
    `gone`, (h, w) of the working size: else it would be left over, since it is nobody else's. Patches that were `clicked` stay as they are.
    """
    own = nested.known[: nested.count]
    inside = chosen[1:]
    if not inside.any():
        return chosen
    depth = own[:, belonging.DEPTH]
    near = _near_ground(nested)
    lines = are_strokes(own[:, belonging.SIZE], depth) & (depth <= _THIN * np.sqrt(nested.total))
    lines &= ~near & (own[:, belonging.RIM] == 0)
    free = (near & (own[:, belonging.RIM] > 0)) | inside | lines
    if gone is not None:
        taken = np.bincount(nested.labels[gone], minlength=nested.count + 1)[1:]
        free |= taken > 0.5 * own[:, belonging.SIZE]
    others = nested.border[:, ~free].sum(axis=1)
    bare = lines & ~inside & (others <= _ENDS * own[:, belonging.EDGE])
    shared = nested.border[:, inside].sum(axis=1)
    bare &= shared >= _ALONG * own[:, belonging.EDGE]
    bare[[patch for patch in clicked if patch >= 0]] = False
    return np.concatenate([[False], inside | bare])


def mask_of(
    nested: Nested,
    chosen: NDArray[np.bool_],
    clicks: Sequence[Click],
    patches: Sequence[int],
    discs: Sequence[tuple[Click, float]],
) -> Chosen:
    """The pixels of what is chosen, (h, w); each pixel of a patch in which clicks of both kinds lie goes to the nearest of them.

    `patches` are those of the clicks (-1: none); `discs` are clicks that change what is within so many pixels of them alone.
    """
    mask: Chosen = chosen[nested.labels]
    for patch in set(patches) - {-1}:
        # Of two at one place the later counts.
        own = [one for one, other in zip(clicks, patches, strict=True) if other == patch][::-1]
        if len({click.add for click in own}) < 2:
            continue
        rows, columns = np.nonzero(nested.labels == patch + 1)
        away = np.stack([(columns - click.x) ** 2 + (rows - click.y) ** 2 for click in own])
        mask[rows, columns] = np.array([click.add for click in own])[away.argmin(axis=0)]
    for click, wide in discs:
        # What was said elsewhere stays so.
        others = [np.hypot(one.x - click.x, one.y - click.y) for one in clicks if one.add != click.add]
        radius = min([wide, *[away / 2 for away in others]])
        reach = int(np.ceil(radius))
        left, top = max(click.x - reach, 0), max(click.y - reach, 0)
        part = mask[top : click.y + reach + 1, left : click.x + reach + 1]
        y, x = np.ogrid[top : top + part.shape[0], left : left + part.shape[1]]
        part[np.hypot(x - click.x, y - click.y) <= radius] = click.add
    return mask


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


def patch_there(nested: Nested, click: Click) -> int:
    """The same; raises NothingThere where a click adds and there is none."""
    patch = patch_at(nested, click)
    if patch < 0 and click.add:
        raise NothingThere("The part is empty here. Click on its art.")
    return patch


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
