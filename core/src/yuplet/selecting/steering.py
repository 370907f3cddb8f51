"""What clicks mean, patch by patch.

One piece of the tree often is the right answer to a first click; what further clicks say can seldom be had by adding and taking away
pieces. So each patch is asked for itself whether it is of the part that is meant, given all clicks (`patch`, fitted as `belonging` says):
by what the tree would take (`choosing`), by how surely the patch belongs with clicks of either kind, and by what is chosen beside it.
Those patches are chosen whose overlap with the part, as far as it can be expected, is largest.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import READ_ONLY, compiled
from yuplet.selecting import belonging
from yuplet.selecting.belonging import (
    PAIR,
    PIECES,
    TABLE,
    TREES,
    Trees,
    join,
    learned,
    may_belong,
    measure_pair,
    said,
    sum_of,
)
from yuplet.selecting.choosing import Choosing, Click, mask_of, patch_at, patch_there, with_lines
from yuplet.selecting.masks import Chosen
from yuplet.selecting.nested import NEAR, Nested

STEERED = 56
"""Measures of a patch beside clicks."""
MOST = 20
"""Clicks after which what is meant is clear: each further one changes its own patch, or what is around it in that, alone."""
_APART = -20.0
"""Log odds of pieces that are not looked at together."""


class Steering:
    """What is meant while clicks come, in the picture at its working size."""

    def __init__(self, nested: Nested, pair: Trees | None = None, choice: Trees | None = None) -> None:
        """Nothing is meant at first. Trees are those that come with Yuplet, unless others are being fitted."""
        self.nested = nested
        self.clicks: list[Click] = []
        self.patches: list[int] = []
        self.chosen = np.zeros(nested.count, bool)
        self.before = self.chosen
        """What was chosen before the last click."""
        self._pair, self._choice = pair or learned("pair"), choice or learned("choice")
        self._tree = Choosing(nested)
        self._discs: list[tuple[Click, float]] = []
        self._likely = np.full(nested.count, -1, np.float32)
        self._to_border = 0.0
        self._own = nested.known[: nested.count]
        self._sizes = self._own[:, belonging.SIZE]
        self._root = float(np.sqrt(nested.total))
        self._colours = self._own[:, belonging.LIGHT : belonging.BLUE + 1] / self._sizes[:, None]
        self._fixed = self._measures_of_patches()
        self._tables = _Tables.of(nested)
        self._clicked: dict[int, _Clicked] = {}
        self._away: list[NDArray[np.float32]] = []

    def click(self, click: Click) -> None:
        """Take one more click; raises NothingThere when it adds where nothing is."""
        if len(self.clicks) >= MOST:
            self._change_there(click)
            return
        measures = self.note(click)
        if self.patches[-1] >= 0:
            self.decide(1 / (1 + np.exp(-said(learned("patch"), measures).astype(np.float64))))

    def pieces(self) -> list[int]:
        """The pieces of the tree that the last click may take, from its patch up."""
        return self._tree.path

    def take(self, piece: int) -> None:
        """Choose a piece, or choose it away, instead of what the last click seemed to mean."""
        self.chosen = self.before.copy()
        self.chosen[self.nested.patches_of(piece)[1:]] = self.clicks[-1].add

    def mask(self, gone: Chosen | None = None) -> Chosen:
        """The pixels that are meant, (h, w), each clicked one as its click says; lines come along as `with_lines` says."""
        chosen = np.concatenate([[False], self.chosen])
        for click, patch in zip(self.clicks, self.patches, strict=True):
            if patch >= 0:
                chosen[patch + 1] = click.add
        chosen = with_lines(self.nested, chosen, gone, self.patches)
        return mask_of(self.nested, chosen, self.clicks, self.patches, self._discs)

    def decide(self, likely: NDArray[np.float64]) -> None:
        """Choose by how likely each patch is of what is meant: those that overlap it most, if so many pixels of each are of it."""
        order = np.argsort(-likely, kind="stable")
        inside = np.cumsum((likely * self._sizes)[order])
        overlap = inside / (np.cumsum(self._sizes[order]) + float(likely @ self._sizes) - inside)
        self.before = self.chosen
        self.chosen = np.zeros(self.nested.count, bool)
        self.chosen[order[: int(overlap.argmax()) + 1]] = True
        self._likely = likely.astype(np.float32)
        click, patch = self.clicks[-1], self.patches[-1]
        if self.chosen[patch] != click.add:
            # The patch as a whole is not meant: only what lies between the click and the border, unless it is in the middle.
            if len(self.clicks) > 1 and self._to_border < 0.5 * self._own[patch, belonging.DEPTH]:
                self.chosen = self.before
                self._discs.append((click, self._to_border + 1.5))
                self.patches[-1] = -1
            else:
                self.chosen[patch] = click.add

    def _change_there(self, click: Click) -> None:
        """Take a click that the tree is not asked about."""
        patch = patch_there(self.nested, click)
        self.clicks.append(click)
        self.patches.append(patch)
        self.before, self.chosen = self.chosen, self.chosen.copy()
        self._tree.path = self.nested.path(patch) if patch >= 0 else []
        if patch >= 0:
            self.chosen[patch] = click.add

    def note(self, click: Click) -> NDArray[np.float32]:
        """Note one more click without choosing anything, and return measures of each patch beside all clicks so far, (count, STEERED); raises
        NothingThere as `click` does.
        """
        tree = self._tree
        tree_before = tree.chosen[1:].copy()
        path, of_path = tree.offered(click)
        expected = said(self._choice, of_path)
        if path:
            best = int(np.argmax(expected))
            tree.take(path[best], float(expected[best]))
        patch = patch_at(self.nested, click)
        self.clicks.append(click)
        self.patches.append(patch)
        count = self.nested.count
        out = np.zeros((count, STEERED), np.float32)
        away = tree.away if patch >= 0 else np.full(count, np.inf, np.float32)
        self._away.append(away)
        if patch < 0:
            return out
        if patch not in self._clicked:
            self._clicked[patch] = _Clicked.of(self.nested, self._tables, self._pair, patch)
        said_to_add, said_not = self._beside_clicks(True), self._beside_clicks(False)
        out[:, 0:7], out[:, 7:14] = said_to_add, said_not
        out[:, 14] = said_to_add[:, 0] - said_not[:, 0]
        out[:, 15:18] = said_to_add[:, 3:6] - said_not[:, 3:6]
        clicked = self._clicked[patch]
        out[:, 18] = clicked.sure
        out[:, 19] = clicked.level
        out[:, 20] = self._unlike(patch)
        out[:, 21] = away / self._root
        if path:
            # What is expected of the best piece with a patch, and of the best without it.
            of_all = np.full(len(clicked.path), -1, np.float32)
            of_all[np.searchsorted(clicked.path, path)] = expected
            with_it = np.maximum.accumulate(of_all[::-1])[::-1]
            without = np.concatenate([[-1], np.maximum.accumulate(of_all)[:-1]])
            out[:, 22] = (with_it - without)[clicked.level]
            out[:, 23] = with_it[clicked.level]
            out[:, 24] = without[clicked.level]
        taken = tree.chosen[1:]
        out[:, 25] = click.add
        out[:, 26] = taken
        out[:, 27] = tree_before
        out[:, 28] = self.chosen
        out[:, 29] = self._likely
        base = taken.copy()
        if not base.any() and click.add:
            base[patch] = True
        if base.any():
            out[:, 30] = self._tables.odds(base, self._pair)
        out[:, 31:34] = self._beside(base)
        out[:, 34:37] = self._beside(self.chosen)
        out[:, 37:48] = self._fixed
        out[:, 48] = len(self.clicks)
        out[:, 49] = sum(one.add for one in self.clicks)
        size = max(float(self._sizes[base].sum()), 1.0)
        out[:, 50] = np.log(size / self.nested.total)
        out[:, 51] = np.log(self._sizes / size)
        beyond = self.chosen == click.add
        self._to_border = float(away[beyond].min()) if beyond.any() else self._root
        out[:, 52] = self._to_border / self._root
        out[:, 53] = self._to_border / self._own[:, belonging.DEPTH]
        out[[one for one in self.patches if one >= 0], 54] = 1
        out[:, 55] = tree.expected
        return out

    def _beside_clicks(self, add: bool) -> NDArray[np.float32]:
        """Of each patch beside all clicks of a kind: how surely they become one and the piece in which they do (its size, and how whole it is),
        how unlike and how far they are, the strongest border on the way, and how surely it belongs to the patch of a click.
        """
        out = np.tile(np.array([-30, 0, -1, 3, 3, 9, _APART], np.float32), (self.nested.count, 1))
        for click, patch, away in zip(self.clicks, self.patches, self._away, strict=True):
            if click.add != add:
                continue
            np.minimum(out[:, 4], away / self._root, out=out[:, 4])
            if patch < 0:
                continue
            clicked = self._clicked[patch]
            surer = clicked.sure > out[:, 0]
            piece = clicked.path[clicked.level]
            out[surer, 0] = clicked.sure[surer]
            out[surer, 1] = np.log(self.nested.known[piece[surer], belonging.SIZE] / self.nested.total)
            out[surer, 2] = self.nested.whole[piece[surer]]
            np.minimum(out[:, 3], self._unlike(patch), out=out[:, 3])
            np.minimum(out[:, 5], clicked.strongest, out=out[:, 5])
            np.maximum(out[:, 6], clicked.odds, out=out[:, 6])
        return out

    def _unlike(self, patch: int) -> NDArray[np.float64]:
        result: NDArray[np.float64] = np.linalg.norm(self._colours - self._colours[patch], axis=1)
        return result

    def _beside(self, chosen: NDArray[np.bool_]) -> NDArray[np.float64]:
        """The share of its border that each patch has with what is chosen, the contrast there, and that with what is not; -1 without one."""
        # Both tables are symmetric, and rows are read faster than columns.
        (inside, with_it), (outside, without) = (
            (self.nested.border[some].sum(axis=0), self.nested.contrast[some].sum(axis=0)) for some in (chosen, ~chosen)
        )
        with_it = np.where(inside > 0, with_it / np.maximum(inside, 1), -1)
        without = np.where(outside > 0, without / np.maximum(outside, 1), -1)
        return np.stack([inside / np.maximum(self._own[:, belonging.EDGE], 1), with_it, without], axis=1)

    def _measures_of_patches(self) -> NDArray[np.float32]:
        own, sizes, root = self._own, self._sizes, self._root
        edge = np.maximum(own[:, belonging.EDGE], 1)
        columns = [
            np.log(sizes / self.nested.total),
            own[:, belonging.DEPTH] / root,
            own[:, belonging.DEPTH] / np.sqrt(sizes),
            own[:, belonging.RIM] / (4 * root),
            np.linalg.norm(self._colours - self.nested.ground, axis=1),
            self._colours[:, 0],
            np.hypot(self._colours[:, 1], self._colours[:, 2]),
            own[:, belonging.CONTRAST] / edge,
            edge**2 / sizes,
            (own[:, belonging.RIGHT] - own[:, belonging.LEFT]) / root,
            (own[:, belonging.BOTTOM] - own[:, belonging.TOP]) / root,
        ]
        return np.stack(columns, axis=1).astype(np.float32)


@dataclass(frozen=True, slots=True, eq=False)
class _Clicked:
    """What is known of all patches beside one that was clicked.

    `path` are the pieces that it is in; of each patch `level` is where on that path the two become one, `sure` how surely they do,
    `strongest` the contrast of the strongest border on the way there that has the weakest ones, `odds` those that the two are of one part.
    """

    path: NDArray[np.int32]
    level: NDArray[np.int32]
    sure: NDArray[np.float32]
    strongest: NDArray[np.float32]
    odds: NDArray[np.float32]

    @classmethod
    def of(cls, nested: Nested, tables: "_Tables", pair: Trees, patch: int) -> "_Clicked":
        path = np.array(nested.path(patch), np.int32)
        level = np.full(nested.count, len(path) - 1, np.int32)
        seen = np.zeros(nested.count, bool)
        for index, piece in enumerate(path):
            inside = nested.patches_of(int(piece))[1:]
            level[inside & ~seen] = index
            seen |= inside
        sure = np.minimum.accumulate(nested.known[path, belonging.MADE])[level].astype(np.float32)
        strongest = np.full(nested.count, 9, np.float32)
        _strongest_on_the_way(nested.border, nested.contrast, patch, strongest)
        alone = np.zeros(nested.count, bool)
        alone[patch] = True
        return cls(path, level, sure, strongest, tables.odds(alone, pair))


@dataclass(frozen=True, slots=True, eq=False)
class _Tables:
    """What is known of patches and between them, with room for one more: what is chosen, as if it were one."""

    known: NDArray[np.float64]
    border: NDArray[np.float32]
    contrast: NDArray[np.float32]
    runs: NDArray[np.float32]
    ground: NDArray[np.float64]
    total: float

    @classmethod
    def of(cls, nested: Nested) -> "_Tables":
        count = nested.count
        known = np.concatenate([nested.known[:count], np.zeros((1, belonging.COLUMNS))])
        border, contrast, runs = (np.pad(one, (0, 1)) for one in (nested.border, nested.contrast, nested.runs))
        return cls(known, border, contrast, runs, nested.ground.copy(), nested.total)

    def odds(self, chosen: NDArray[np.bool_], pair: Trees) -> NDArray[np.float32]:
        """The log odds that each patch is of one part with all others that are chosen."""
        out = np.zeros(len(chosen), np.float32)
        _odds(
            self.known,
            self.border,
            self.contrast,
            self.runs,
            chosen,
            self.ground,
            self.total,
            pair.arrays,
            NEAR,
            out,
        )
        return out


@compiled(
    f"void({PIECES}, {TABLE}, {TABLE}, {TABLE}, boolean[::1], float64[::1], float64, {TREES}, float64, float32[::1])"
)
def _odds(
    known: NDArray[np.float64],
    border: NDArray[np.float32],
    contrast: NDArray[np.float32],
    runs: NDArray[np.float32],
    chosen: NDArray[np.bool_],
    ground: NDArray[np.float64],
    total: float,
    trees: tuple[object, ...],
    near: float,
    out: NDArray[np.float32],
) -> None:
    """Write what is chosen into the last row of the tables, and ask of each patch whether it belongs to that, less itself."""
    count = len(out)
    whole = known[count]
    number = 0
    for table in (border, contrast, runs):
        table[count, :] = 0
    for one in range(count):
        if not chosen[one]:
            continue
        if number == 0:
            whole[:] = known[one]
        else:
            join(whole, known[one], border[count, one], contrast[count, one])
        number += 1
        for other in range(count):
            border[count, other] += border[one, other]
            contrast[count, other] += contrast[one, other]
            runs[count, other] = max(runs[count, other], runs[one, other])
    border[:, count] = border[count]
    contrast[:, count] = contrast[count]
    runs[:, count] = runs[count]
    kept = whole.copy()
    others = np.flatnonzero(~chosen).astype(np.int32)
    measures = np.zeros(PAIR, np.float32)
    for one in range(count):
        whole[:] = kept
        if chosen[one]:
            if number == 1:
                out[one] = 20
                continue
            for column in belonging.SUMMED:
                whole[column] -= known[one, column]
            whole[belonging.EDGE] = max(whole[belonging.EDGE] + 2 * border[count, one] - known[one, belonging.EDGE], 1)
            whole[belonging.CONTRAST] += 2 * contrast[count, one] - known[one, belonging.CONTRAST]
        if not may_belong(known, border, count, one, near):
            out[one] = -20
            continue
        measure_pair(known, border, contrast, runs, others, ground, total, count, one, measures)
        out[one] = sum_of(trees, measures)


@compiled(f"void({READ_ONLY.format('float32', 2, 'C')}, {READ_ONLY.format('float32', 2, 'C')}, int64, float32[::1])")
def _strongest_on_the_way(
    border: NDArray[np.float32], contrast: NDArray[np.float32], start: int, out: NDArray[np.float32]
) -> None:
    """From one patch to each other: the mean contrast of the strongest border on the way whose strongest is weakest (as the shortest
    way is found; E. Dijkstra, Numerische Mathematik 1, 1959).
    """
    count = len(out)
    done = np.zeros(count, np.bool_)
    out[start] = 0
    for _ in range(count):
        near, least = -1, np.float32(8.5)
        for one in range(count):
            if not done[one] and out[one] < least:
                near, least = one, out[one]
        if near < 0:
            break
        done[near] = True
        for other in range(count):
            if not done[other] and border[near, other] > 0:
                out[other] = min(out[other], max(least, contrast[near, other] / border[near, other]))
