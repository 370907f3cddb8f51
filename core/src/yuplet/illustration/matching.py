"""Which layer of a new revision is which layer of the old one: by path and name, else by likeness of pixels and place.

Likeness is the share of agreement of small pictures, of boxes (intersection over union, P. Jaccard, 1901) and of names
(J. W. Ratcliff and D. E. Metzener, "Pattern Matching: The Gestalt Approach", Dr. Dobb's Journal, July 1988; `difflib`). Pairs
are taken best first; the weights are ours.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher
from typing import Literal, TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.geometry import Box
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.pixels import Picture

Change: TypeAlias = Literal["kept", "repainted", "moved", "renamed", "regrouped", "laid otherwise", "new", "gone"]

LIKE_ENOUGH = 0.6
"""Below this two layers are not taken for the same one, unless somebody says so."""
_SIDE = 16


@dataclass(frozen=True, slots=True)
class LayerFingerprint:
    """What is compared of a layer.

    `path` is the names of the groups around it and its own; `fingerprint` is equal where the trimmed pixels are equal
    (empty for an empty layer); `small` is a small picture of them; `laid` is opacity and blend mode.
    """

    id: str
    path: tuple[str, ...]
    box: Box | None
    fingerprint: str
    small: Picture | None
    laid: tuple[float, str] = (1.0, "normal")


@dataclass(frozen=True, slots=True)
class Match:
    """A layer of the old and one of the new revision (None: there is none), and how they differ.

    `dx` and `dy` are how far the content moved, in canvas pixels, where it did.
    """

    old: str | None
    new: str | None
    changes: tuple[Change, ...]
    dx: int = 0
    dy: int = 0


def match_layers(
    old: Sequence[LayerFingerprint], new: Sequence[LayerFingerprint], settled: Mapping[str, str | None] | None = None
) -> list[Match]:
    """Pair the layers of two revisions.

    Parameters
    ----------
    old, new : sequence of LayerFingerprint
        All layers of each, back to front.
    settled : mapping, optional
        What somebody has decided: the old layer of a new one by its id, or None where it has none.

    Returns
    -------
    list of Match
        One for every new layer in its order, then one for every old layer that is gone.
    """
    settled = settled or {}
    old_by_id = {layer.id: layer for layer in old}
    pairs: dict[str, str] = {}
    taken = {before for before in settled.values() if before is not None}
    left = [layer for layer in old if layer.id not in taken]
    waiting: list[LayerFingerprint] = []
    for layer in new:
        if layer.id not in settled:
            waiting.append(layer)
        elif (before := settled[layer.id]) is not None and before in old_by_id:
            pairs[layer.id] = before
    for key in (_by_path, _by_pixels):
        waiting, left = _pair_equals(waiting, left, key, pairs)
    _pair_alike(waiting, left, pairs)
    matched = set(pairs.values())
    found = [
        _compared(old_by_id[pairs[layer.id]], layer) if layer.id in pairs else Match(None, layer.id, ("new",))
        for layer in new
    ]
    return found + [Match(layer.id, None, ("gone",)) for layer in old if layer.id not in matched]


def wants_a_look(match: Match) -> bool:
    """Whether somebody should say what became of a layer: it is new or gone, or is taken for another one by likeness alone.

    >>> wants_a_look(Match("a", "b", ("repainted", "moved"))), wants_a_look(Match("a", "b", ("renamed", "repainted")))
    (False, True)
    """
    return bool({"new", "gone"} & set(match.changes)) or {"renamed", "repainted"} <= set(match.changes)


def cut_into_frames(old: Illustration, new: Illustration) -> dict[str, LayerGroup]:
    """The animation that each old layer has become, by its id: one of the same path in a new revision, where no layer of it is any more."""
    before = {path: node.id for path, node in old.walk() if isinstance(node, Layer)}
    after = dict(new.walk())
    return {
        before[path]: node
        for path, node in after.items()
        if path in before and isinstance(node, LayerGroup) and node.are_frames
    }


def match_revisions(
    old: Illustration,
    new: Illustration,
    before: Sequence[LayerFingerprint],
    after: Sequence[LayerFingerprint],
    settled: Mapping[str, str | None] | None = None,
) -> tuple[list[Match], dict[str, LayerGroup]]:
    """Pair the layers of two revisions as `match_layers` does, but for the pictures that were cut into frames: these apart, as `cut_into_frames`."""
    cut = cut_into_frames(old, new)
    frames = {member.id for moving in cut.values() for member in moving.members}
    left = [layer for layer in before if layer.id not in cut]
    return match_layers(left, [layer for layer in after if layer.id not in frames], settled), cut


def renumbered(
    new: Illustration, old: Illustration, matches: Iterable[Match], prefix: str
) -> tuple[Illustration, dict[str, str]]:
    """Give a revision the ids of the old layers and groups that its own are; others get ids that begin with `prefix`.

    Groups are the same where their paths are, and an animation is the layer that it was cut from. Answers the illustration and the new id of each layer by its old one.
    """
    ids = {match.new: match.old for match in matches if match.new is not None and match.old is not None}
    groups: dict[tuple[str, ...], list[str]] = defaultdict(list)
    for path, node in old.walk():
        if isinstance(node, LayerGroup):
            groups[path].append(node.id)
    for path, node in new.walk():
        if isinstance(node, LayerGroup) and groups[path]:
            ids[node.id] = groups[path].pop(0)
    taken = set(ids.values())
    for layer, moving in cut_into_frames(old, new).items():
        if layer not in taken:
            ids[moving.id] = layer
    for number, (_, node) in enumerate(new.walk(), 1):
        ids.setdefault(node.id, f"{prefix}{number}")

    def each(node: LayerNode) -> LayerNode:
        if isinstance(node, LayerGroup):
            return replace(node, id=ids[node.id], members=tuple(each(member) for member in node.members))
        return replace(node, id=ids[node.id])

    return replace(new, layers=tuple(each(node) for node in new.layers)), {
        node.id: ids[node.id] for node in new.leaves()
    }


def looks(
    illustration: Illustration, fingerprints: Mapping[str, str], small: Mapping[str, Picture]
) -> list[LayerFingerprint]:
    """The layers of an illustration as they are compared; `fingerprints` and `small` are by layer id."""
    return [
        LayerFingerprint(
            node.id, path, node.box, fingerprints.get(node.id, ""), small.get(node.id), (node.opacity, node.blend)
        )
        for path, node in illustration.walk()
        if isinstance(node, Layer)
    ]


def _by_path(layer: LayerFingerprint) -> object:
    return layer.path


def _by_pixels(layer: LayerFingerprint) -> object:
    return layer.fingerprint or None


def _pair_equals(
    new: list[LayerFingerprint], old: list[LayerFingerprint], key: object, pairs: dict[str, str]
) -> tuple[list[LayerFingerprint], list[LayerFingerprint]]:
    """Pair layers whose keys are equal, several of one key in the order in which they lie; answers what is left."""
    by_key: dict[object, list[LayerFingerprint]] = defaultdict(list)
    for layer in old:
        by_key[key(layer)].append(layer)  # type: ignore[operator]
    left: list[LayerFingerprint] = []
    for layer in new:
        candidates = by_key.get(key(layer), []) if key(layer) is not None else []  # type: ignore[operator]
        if candidates:
            # Among equals the one that still bears the same name, else the first.
            best = max(candidates, key=lambda one: one.path[-1] == layer.path[-1])
            candidates.remove(best)
            pairs[layer.id] = best.id
        else:
            left.append(layer)
    gone = set(pairs.values())
    return left, [layer for layer in old if layer.id not in gone]


def _pair_alike(new: list[LayerFingerprint], old: list[LayerFingerprint], pairs: dict[str, str]) -> None:
    reduced = {id(layer): _reduced(layer.small) for layer in (*new, *old) if layer.small is not None}
    scores = sorted(
        (
            (-_likeness(before, after, reduced), i, j)
            for i, after in enumerate(new)
            for j, before in enumerate(old)
            if before.box is not None and after.box is not None
        ),
    )
    used_new: set[int] = set()
    used_old: set[int] = set()
    for score, i, j in scores:
        if -score < LIKE_ENOUGH:
            break
        if i not in used_new and j not in used_old:
            used_new.add(i)
            used_old.add(j)
            pairs[new[i].id] = old[j].id


def _likeness(before: LayerFingerprint, after: LayerFingerprint, reduced: Mapping[int, NDArray[np.float32]]) -> float:
    assert before.box is not None and after.box is not None
    common = before.box.meet(after.box)
    shared = 0 if common.is_empty else common.size.pixels
    overlap = shared / (before.box.size.pixels + after.box.size.pixels - shared)
    name = SequenceMatcher(None, before.path[-1], after.path[-1]).ratio()
    one, other = reduced.get(id(before)), reduced.get(id(after))
    picture = 0.0 if one is None or other is None else 1 - float(np.abs(one - other).mean()) * 2
    return 0.5 * max(0.0, picture) + 0.3 * overlap + 0.2 * name


def _reduced(picture: Picture) -> NDArray[np.float32]:
    """Premultiplied, so that colour that is not seen does not count."""
    exact = picture.astype(np.float32) / 255
    exact[..., :3] *= exact[..., 3:]
    return np.asarray(cv2.resize(exact, (_SIDE, _SIDE), interpolation=cv2.INTER_AREA), np.float32)


def _compared(old: LayerFingerprint, new: LayerFingerprint) -> Match:
    changes: list[Change] = []
    dx = dy = 0
    if old.fingerprint != new.fingerprint:
        changes.append("repainted")
    if old.box is not None and new.box is not None and old.box.size == new.box.size:
        dx, dy = new.box.left - old.box.left, new.box.top - old.box.top
        if dx or dy:
            changes.append("moved")
    if old.path[-1] != new.path[-1]:
        changes.append("renamed")
    if old.path[:-1] != new.path[:-1]:
        changes.append("regrouped")
    if old.laid != new.laid:
        changes.append("laid otherwise")
    return Match(old.id, new.id, tuple(changes) or ("kept",), dx, dy)
