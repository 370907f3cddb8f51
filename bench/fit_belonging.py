"""Fit what belongs together (core/src/yuplet/selecting/belonging.npz) on the fitting styles of `known_parts`.

What is learned from pieces and patches is learned from those of trees that were fitted on figures of other styles (`FOLDS`): on figures
that trees know, they are more right than they will be on an artist's. Deterministic: fixed seeds, single-threaded trees, the figures
of fixed names. Needs scikit-learn (bench/requirements.txt), whose
histogram gradient boosting fits the trees; Yuplet walks them by itself. Beside the file go some measures with what scikit-learn
says of them, for a test that both say the same.
"""

import sys
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from typing import Any

import cv2
import numpy as np
from known_parts import ALL_FITTING, FOLDS, Flat, deepest, flats
from measure import ROOT
from numpy.typing import NDArray
from sklearn.ensemble import HistGradientBoostingClassifier, HistGradientBoostingRegressor

from yuplet.selecting.belonging import Trees, said
from yuplet.selecting.choosing import Choosing, Click, patch_at
from yuplet.selecting.masks import distance_to
from yuplet.selecting.nested import WORKING_SIDE, Measured, Nested, measured, merged, of_measured, wholes
from yuplet.selecting.steering import Steering

TARGET = ROOT / "core" / "src" / "yuplet" / "selecting" / "belonging.npz"
SAID = ROOT / "core" / "tests" / "selecting" / "belonging_said.npz"
ROUNDS = 3
FIGURES = 24
"""Figures of a style: more hardly change what is found, and take as much longer."""
PURE = 0.75
"""Share of a piece that is of one part, for it to count as of that part."""
_PAIRS = 100_000
_EACH = 2_000
"""Pairs of a figure that are looked at in each round."""
_PLACES = 3
_CHOICE_TREES = 400
_CLICKS = 5
_PATCHES = 28
"""Patches of a figure that are looked at after each click."""


@dataclass(frozen=True, slots=True)
class Known:
    """A figure at the working size: what is measured of its patches, and how many pixels of each part each patch has."""

    style: str
    found: Measured
    owner: NDArray[np.int32]
    shares: NDArray[np.float64]
    counting: tuple[int, ...]


def at_working_size(flat: Flat) -> tuple[NDArray[np.uint8], NDArray[np.int32]]:
    side = flat.picture.shape[0]
    if side <= WORKING_SIDE:
        return flat.picture, flat.owner
    size = (WORKING_SIDE, WORKING_SIDE)
    owner = cv2.resize(flat.owner.astype(np.float32), size, interpolation=cv2.INTER_NEAREST).astype(np.int32)
    return cv2.resize(flat.picture, size, interpolation=cv2.INTER_AREA), owner


def known(style: str, each: int = FIGURES) -> list[Known]:
    result = []
    for flat in flats(style, each):
        picture, owner = at_working_size(flat)
        found = measured(picture)
        parts = len(flat.names) + 1
        shares = np.zeros((len(found.known) + 1, parts))
        np.add.at(shares, (found.labels.ravel(), owner.ravel()), 1)
        numbers = tuple(number for number, name in enumerate(flat.names, 1) if name in flat.parts())
        result.append(Known(style, found, owner, shares[1:], numbers))
    return result


def shares_of_all(one: Known, parents: NDArray[np.int32]) -> NDArray[np.float64]:
    result = np.zeros((len(parents), one.shares.shape[1]))
    result[: len(one.shares)] = one.shares
    for piece in range(len(parents) - 1):
        if parents[piece] != piece:
            result[parents[piece]] += result[piece]
    return result


def pair_samples(one: Known, trees: Trees) -> tuple[NDArray[np.float32], NDArray[np.bool_], NDArray[np.float64]]:
    parents, _, _, measures, pairs = merged(one.found, trees, _PAIRS)
    shares = shares_of_all(one, parents)
    sizes = shares.sum(axis=1)
    major, purity = shares.argmax(axis=1), shares.max(axis=1) / np.maximum(sizes, 1)
    a, b = pairs[:, 0], pairs[:, 1]
    clear = (purity[a] >= PURE) & (purity[b] >= PURE)
    rows = np.flatnonzero(clear)
    if rows.size > _EACH:
        rows = np.random.default_rng(3).choice(rows, _EACH, replace=False)
    weight = (np.minimum(sizes[a], sizes[b])[rows] / one.found.total) ** 0.3
    # Each figure counts alike.
    return measures[rows], (major[a] == major[b])[rows], weight / max(weight.sum(), 1e-9)


def whole_samples(one: Known, trees: Trees) -> tuple[NDArray[np.float32], NDArray[np.float64], NDArray[np.float64]]:
    """Each piece above places in the parts, and how much it overlaps the part."""
    parents, sure, all_known, _, _ = merged(one.found, trees)
    measures = wholes(parents, sure, all_known, one.found)
    shares = shares_of_all(one, parents)
    sizes = shares.sum(axis=1)
    totals = one.shares.sum(axis=0)
    rows, targets, weights = [], [], []
    chance = np.random.default_rng(7)
    for part in one.counting:
        mask = one.owner == part
        depth = distance_to(~np.pad(mask, 1))[1:-1, 1:-1]
        deepest = int(depth.argmax())
        others = chance.choice(np.flatnonzero(depth.ravel() > 0.5 * depth.max()), _PLACES)
        for place in (deepest, deepest, *others.tolist()):
            piece = int(one.found.labels.ravel()[place]) - 1
            while piece >= 0:
                both = shares[piece, part]
                rows.append(measures[piece])
                targets.append(both / max(sizes[piece] + totals[part] - both, 1))
                weights.append(1.0)
                if parents[piece] == piece:
                    break
                piece = int(parents[piece])
    return np.array(rows, np.float32), np.array(targets), np.array(weights)


def choice_samples(one: Known, made: Nested, choice: Trees | None, seed: int) -> list[NDArray[np.float32]]:
    """Clicks on each part, each next on the deepest pixel of the larger error or beside it: the pieces it may take, and how much
    what is chosen then overlaps the part.
    """
    chance = np.random.default_rng(seed)
    rows, targets, weights = [], [], []
    sizes = one.shares.sum(axis=1)
    for part in one.counting:
        mask = one.owner == part
        in_part, total = one.shares[:, part], one.shares[:, part].sum()
        state = Choosing(made)
        got = np.zeros_like(mask)
        for index in range(_CLICKS):
            click = next_click(chance, mask, got)
            if click is None or patch_at(made, click) < 0:
                break
            path, measures = state.offered(click)
            if not path:
                break
            holds = np.stack([made.patches_of(piece) for piece in path])
            after = (state.chosen[None, 1:] | holds[:, 1:]) if click.add else (state.chosen[None, 1:] & ~holds[:, 1:])
            both = after @ in_part
            overlap = both / np.maximum(after @ sizes + total - both, 1)
            rows.append(measures)
            targets.append(overlap)
            weights.append(np.full(len(path), 1.0 if index == 0 else 0.6))
            by_rule = made.whole[path] if choice is None else said(choice, measures)
            at = int(np.argmax(by_rule if chance.random() < 0.75 else overlap))
            state.take(path[at], float(by_rule[at]))
            got = state.mask()
    return [np.concatenate(one) for one in (rows, targets, weights)]


def patch_samples(
    one: Known, made: Nested, pair: Trees, choice: Trees, patch: Trees | None, seed: int
) -> list[NDArray[np.float32]]:
    """Clicks on each part as for `choice_samples`: measures of patches, whether they are of the part, and how much that matters."""
    chance = np.random.default_rng(seed)
    rows: list[NDArray[np.float32]] = []
    targets: list[NDArray[np.bool_]] = []
    weights: list[NDArray[np.float64]] = []
    sizes = one.shares.sum(axis=1)
    for part in one.counting:
        mask = one.owner == part
        share = one.shares[:, part] / np.maximum(sizes, 1)
        # A wrong patch costs the more the larger it is beside the part, and nothing when half of it is of the part.
        matters = np.abs(2 * share - 1) * np.minimum(sizes / one.shares[:, part].sum(), 1) ** 0.6
        matters[matters < 0.004] = 0
        state = Steering(made, pair, choice)
        got = np.zeros_like(mask)
        for index in range(_CLICKS + 1):
            click = next_click(chance, mask, got)
            if click is None or patch_at(made, click) < 0:
                break
            measures = state.note(click)
            # As many as are told apart hardest: those that the tree puts near a click, or that are of the part.
            hard = matters * np.where((measures[:, 0] > -6) | (share > 0.3), 1, 0.3)
            taken = np.minimum(1, _PATCHES * hard / max(hard.sum(), 1e-6))
            keep = (matters > 0) & (chance.random(len(taken)) < taken)
            if keep.any():
                weight = matters[keep] / np.maximum(taken[keep], 1e-3) / max(matters.sum(), 1e-6)
                rows.append(measures[keep])
                targets.append(share[keep] > 0.5)
                weights.append(weight * (1 if index == 0 else 0.7))
            if chance.random() < 0.15:
                likely = np.clip(share + chance.normal(0, 0.3, len(share)), 0, 1)
            elif patch is None:
                likely = measures[:, 26].astype(np.float64)
            else:
                likely = 1 / (1 + np.exp(-said(patch, measures).astype(np.float64)))
            state.decide(likely)
            got = state.mask()
    return [np.concatenate(one) for one in (rows, targets, weights)]


def next_click(chance: np.random.Generator, mask: NDArray[np.bool_], got: NDArray[np.bool_]) -> Click | None:
    """A click on the deepest pixel of the larger error, or near it: nobody hits the middle to the pixel. None where none is left."""
    lacking, extra = deepest(mask & ~got), deepest(got & ~mask)
    add = lacking[0] >= extra[0]
    depth, x, y = lacking if add else extra
    if depth < 1:
        return None
    x += int(chance.normal(0, depth / 6))
    y += int(chance.normal(0, depth / 6))
    return Click(min(max(x, 0), mask.shape[1] - 1), min(max(y, 0), mask.shape[0] - 1), add)


_AT_WORK: list[tuple[Known, Nested, Trees]] = []
"""Each figure, its pieces by trees that do not know it, and those trees of pairs."""
_KNOWN: list[Known] = []


def _choice_samples(given: tuple[int, Trees | None, int]) -> list[NDArray[np.float32]]:
    index, choice, seed = given
    return choice_samples(*_AT_WORK[index][:2], choice, seed)


def _patch_samples(given: tuple[int, Trees, Trees | None, int]) -> list[NDArray[np.float32]]:
    index, choice, patch, turn = given
    return patch_samples(*_AT_WORK[index], choice, patch, 1000 * turn + index)


def _pair_samples(given: tuple[int, Trees]) -> tuple[NDArray[np.float32], NDArray[np.bool_], NDArray[np.float64]]:
    return pair_samples(_KNOWN[given[0]], given[1])


def _whole_samples(given: tuple[int, Trees]) -> tuple[NDArray[np.float32], NDArray[np.float64], NDArray[np.float64]]:
    return whole_samples(_KNOWN[given[0]], given[1])


def _nested(given: tuple[int, list[Trees], list[Trees]]) -> Nested:
    index, pairs, wholes_of = given
    fold = fold_of(_KNOWN[index].style)
    return of_measured(_KNOWN[index].found, pairs[fold], wholes_of[fold])


def fold_of(style: str) -> int:
    return next(number for number, styles in enumerate(FOLDS) if style in styles)


def of_each(sample: Callable[[Any], Any], count: int, *more: Any) -> list[Any]:
    """What is sampled of each figure, in two processes that have what is known of them."""
    with ProcessPoolExecutor(2, mp_context=get_context("fork")) as pool:
        return list(pool.map(sample, [(index, *more) for index in range(count)], chunksize=4))


def first_rule() -> Trees:
    """Trees that only look at colours, for the first round."""
    limits = (0.01, 0.03, 0.06, 0.1, 0.2, 0.4)
    count = len(limits)
    measure = np.array([0] * count + [-1] * (count + 1), np.int16)
    limit = np.array([*limits, *[0.0] * (count + 1)], np.float32)
    left = np.array([count + index for index in range(count)] + [0] * (count + 1), np.int32)
    right = np.array([*range(1, count), 2 * count] + [0] * (count + 1), np.int32)
    value = np.array([0.0] * count + [3.0 - index for index in range(count + 1)], np.float32)
    return Trees(measure, limit, left, right, value, np.zeros(1, np.int32), 0.0)


def trees_of(model: Any) -> Trees:
    """The trees of a fitted model as arrays."""
    columns: dict[str, list[Any]] = {"measure": [], "limit": [], "left": [], "right": [], "value": [], "roots": []}
    for (predictor,) in model._predictors:
        start = len(columns["measure"])
        columns["roots"].append(start)
        for node in predictor.nodes:
            columns["measure"].append(-1 if node["is_leaf"] else node["feature_idx"])
            columns["limit"].append(node["num_threshold"] if not node["is_leaf"] else 0)
            columns["left"].append(start + node["left"])
            columns["right"].append(start + node["right"])
            columns["value"].append(node["value"])
    kinds = {"measure": np.int16, "left": np.int32, "right": np.int32, "roots": np.int32}
    arrays = {name: np.array(values, kinds.get(name, np.float32)) for name, values in columns.items()}
    return Trees(**arrays, base=float(np.ravel(model._baseline_prediction)[0]))


_BOOSTING: dict[str, Any] = {
    "max_iter": 200,
    "max_leaf_nodes": 24,
    "min_samples_leaf": 60,
    "l2_regularization": 5.0,
    "max_features": 0.5,
    "early_stopping": False,
    "random_state": 0,
}


def fit_sure(samples: list[Any], **more: Any) -> tuple[Trees, Any]:
    """Whether two pieces are of one part, or a patch of what clicks mean, as log odds."""
    measures, is_so, weight = (np.concatenate([one[index] for one in samples]) for index in range(3))
    model = HistGradientBoostingClassifier(**{**_BOOSTING, "learning_rate": 0.08, **more})
    model.fit(measures, is_so, weight * len(weight) / weight.sum())
    return trees_of(model), model


def fit_overlap(samples: list[Any], trees: int = 200) -> tuple[Trees, Any]:
    """By how much a piece, or what is chosen, overlaps a part."""
    measures, overlap, weight = (np.concatenate([one[index] for one in samples]) for index in range(3))
    model = HistGradientBoostingRegressor(learning_rate=0.05, **{**_BOOSTING, "max_iter": trees})
    model.fit(measures, overlap, weight)
    return trees_of(model), model


def fit(all_known: list[Known], rounds: int = ROUNDS) -> dict[str, tuple[Trees, Any, Any]]:
    """Four measures, each with the fitted model and samples of the last figure: of pairs, of pieces, of what a click takes of those, and of
    patches beside clicks.
    """
    count = len(all_known)
    folds = [fold_of(one.style) for one in all_known]
    pair = first_rule()
    samples: list[list[Any]] = [[] for _ in all_known]
    _KNOWN[:] = all_known
    for _ in range(rounds):
        for own, more in zip(samples, of_each(_pair_samples, count, pair), strict=True):
            own.append(more)
        pair, pair_model = fit_sure(sum(samples, []))
        tell("pairs")
    pairs = [
        fit_sure(sum([own for own, fold in zip(samples, folds, strict=True) if fold != one], []))[0]
        for one in range(len(FOLDS))
    ]
    last = samples[-1][-1][0][:200]
    samples.clear()
    rows = of_each(_whole_samples, count, pair)
    whole, whole_model = fit_overlap(rows)
    wholes_of = [
        fit_overlap([own for own, fold in zip(rows, folds, strict=True) if fold != one])[0] for one in range(len(FOLDS))
    ]
    tell("pieces")
    made = of_each(_nested, count, pairs, wholes_of)
    _AT_WORK[:] = [(known, own, pairs[fold]) for known, own, fold in zip(all_known, made, folds, strict=True)]
    choice, choices = None, []
    for turn in range(rounds):
        choices += of_each(_choice_samples, count, choice, turn)
        choice, choice_model = fit_overlap(choices, _CHOICE_TREES)
        tell(f"clicks, round {turn + 1} of {rounds}")
    patch, patches = None, []
    for turn in range(rounds):
        patches += of_each(_patch_samples, count, choice, patch, turn)
        patch, patch_model = fit_sure(patches, learning_rate=0.06, max_iter=250, max_leaf_nodes=31)
        tell(f"patches, round {turn + 1} of {rounds}")
    return {
        "pair": (pair, pair_model.decision_function, last),
        "whole": (whole, whole_model.predict, rows[-1][0][:200]),
        "choice": (choice, choice_model.predict, choices[-1][0][:200]),
        "patch": (patch, patch_model.decision_function, patches[-1][0][:200]),
    }


def tell(what: str) -> None:
    print(time.strftime("%H:%M:%S"), what, file=sys.stderr, flush=True)


def main() -> None:
    with ProcessPoolExecutor(2) as pool:
        all_known = [one for part in pool.map(known, ALL_FITTING) for one in part]
    print(f"{len(all_known)} figures", file=sys.stderr)
    fitted = fit(all_known)
    held, told = {}, {}
    for name, (trees, says, some) in fitted.items():
        held |= {
            f"{name}_{key}": getattr(trees, key) for key in ("measure", "limit", "left", "right", "value", "roots")
        }
        held[f"{name}_base"] = np.float64(trees.base)
        told |= {name: some, f"{name}_said": says(some)}
    np.savez_compressed(TARGET, **held)
    np.savez_compressed(SAID, **told)
    print(f"{TARGET.name}: {TARGET.stat().st_size:,} bytes", file=sys.stderr)


if __name__ == "__main__":
    main()
