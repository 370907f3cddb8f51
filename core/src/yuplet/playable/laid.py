"""Which parts are seen when, and how the groups around them are laid."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.package import GroupEntry, PartUse, TreeEntry, group_paths
from yuplet.rehearsal.picture import Scene


@dataclass(frozen=True, slots=True)
class Laid:
    """(T, P) whether each part is `shown`, the `opacity` of the groups around each, and how many of them are laid by a mode other than normal."""

    shown: NDArray[np.bool_]
    opacity: dict[str, float]
    modes: int


def laid(scene: Scene, rig: Rig, members: NDArray[np.int32]) -> Laid:
    """`members` (T, S) are those that are seen of each set."""
    sets = {name: at for at, name in enumerate(rig.sets)}
    numbers = {id(group): sets[path] for group, path in group_paths(scene.tree) if path in sets}
    where = {part.id: at for at, part in enumerate(rig.parts)}
    shown = np.zeros((len(members), len(rig.parts)), bool)
    opacity: dict[str, float] = {}
    modes = 0

    def walk(entries: tuple[TreeEntry, ...], seen: NDArray[np.bool_], around: float, at_set: int | None) -> None:
        nonlocal modes
        order = members_in_order(entries)
        for entry in entries:
            own = seen & (entry.shown if at_set is None else members[:, at_set] == order.index(id(entry)))
            if isinstance(entry, GroupEntry):
                modes += entry.blend != "normal"
                walk(entry.members, own, around * entry.opacity, numbers.get(id(entry)))
            elif entry.part_id in where:
                shown[:, where[entry.part_id]] |= own
                opacity[entry.part_id] = around
                placed = scene.placed.get(entry.part_id)
                modes += placed is not None and placed.blend != "normal" and bool(own.any())

    walk(scene.tree, np.ones(len(members), bool), 1.0, None)
    return Laid(shown, opacity, modes)


def members_in_order(entries: tuple[TreeEntry, ...]) -> list[int]:
    """The members of a set as the rig counts them: groups first, then parts. Entries that say the same are still two, so by `id`."""
    return [id(entry) for kind in (GroupEntry, PartUse) for entry in entries if isinstance(entry, kind)]
