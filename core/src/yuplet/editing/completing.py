"""A joint as it swings, and what would close it: tried on layers that nobody keeps, and offered only where less opens then."""

import math
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass

from yuplet.arrangement.tree import Arrangement
from yuplet.derivation.content import Content
from yuplet.derivation.layer_store import LayerStore
from yuplet.editing.changing import GrowUnder, RoundOff
from yuplet.editing.drawing import drawn
from yuplet.editing.edit import edited
from yuplet.editing.layers import MemoryLayers
from yuplet.errors import ArrangementError, CannotTakeOut, SelectionError
from yuplet.findings.jointing import Turning, turning_of
from yuplet.parts.part import Part
from yuplet.pixels import DeepPicture, Picture
from yuplet.pixels.spill_file import PixelSource
from yuplet.rig.swing import swing
from yuplet.selecting.masks import Mask

RANGE = tuple(float(angle) for angle in range(-30, 31, 5))
"""Degrees at which a joint is tried where nobody says which."""
_LEAST, _MOST, _WIDEST = 4, 500, 2000.0


@dataclass(frozen=True, slots=True)
class Completion:
    """What lessens what opens at a joint: the command, and how many pixels would open at the worst angle then."""

    command: GrowUnder | RoundOff
    opens: int


class TriedLayers(MemoryLayers):
    """Layers over those of a store, which is only read: what is added is gone with it."""

    def __init__(self, store: LayerStore) -> None:
        super().__init__(store.illustration, _NoPixels())
        self._store = store

    def content(self, layer: str) -> Content | None:
        return super().content(layer) if layer in self._contents else self._store.content(layer)

    def mask(self, key: str) -> Mask:
        return self._masks[key] if key in self._masks else self._store.mask(key)

    def original(self) -> Picture:
        return self._store.original()

    @contextmanager
    def pixels(self, layers: set[str]) -> Iterator[PixelSource]:
        with self._store.pixels(layers - set(self._contents)) as source:
            self._source = source
            yield self


class _NoPixels:
    """What is there before pixels are asked of the store that is tried on."""

    def rows(self, key: str, top: int, bottom: int) -> Picture:
        raise KeyError(key)

    def deep_rows(self, key: str, top: int, bottom: int) -> DeepPicture | None:
        raise KeyError(key)


def turning_at(arrangement: Arrangement, layers: LayerStore, row: str) -> tuple[Part, Turning]:
    """A part and what turns and stays when it does. Raises `CannotTakeOut` where it has no pivot on its art, or is empty."""
    parts = {part.id: part for _, part in arrangement.parts()}
    if row not in parts:
        raise CannotTakeOut("Only a part turns. Choose one.")
    part = parts[row]
    if part.pivot is None:
        raise CannotTakeOut(f"'{part.name}' has no pivot. Set it first: key V, or let one be proposed.")
    seen = arrangement.visible_ids() | {row}
    near = [one for one in parts.values() if one.id == row or (one.included and one.id in seen)]
    with drawn(arrangement, layers, {one.id for one in near}) as (frame_of, _):
        there = {one.id: drawing for one in near if (drawing := frame_of(one, 0)) is not None}
        turning = turning_of(arrangement, part, there)
    if turning is None:
        raise CannotTakeOut(f"'{part.name}' is empty, so there is nothing to round off.")
    return part, turning


def opens(turning: Turning, degrees: Sequence[float] = RANGE) -> int:
    """How many pixels open at the angle at which most do."""
    found = swing(turning.limb, turning.staying, turning.joint, degrees, turning.moving)
    return sum(found.opened[found.widest])


def completions(
    arrangement: Arrangement, layers: LayerStore, row: str, degrees: Sequence[float] = RANGE
) -> tuple[int, list[Completion]]:
    """How many pixels open at a joint at the worst angle, and what closes it: of the part and its parent, the one that lies behind grown beneath the other, or rounded off about the pivot.

    Those that lessen what opens, the best first; none where nothing opens. Raises as `turning_at`.
    """
    part, turning = turning_at(arrangement, layers, row)
    now, parent = opens(turning, degrees), arrangement.parents().get(row)
    if not now or parent is None or part.pivot is None:
        return now, []
    order = [one.id for _, one in arrangement.parts()]
    behind, radius = min(row, parent, key=order.index), turning.joint.radius
    at = (float(part.pivot.x), float(part.pivot.y))
    found = []
    for command in (
        GrowUnder(behind, min(_MOST, max(_LEAST, int(radius) + 1))),
        RoundOff(behind, at, max(1.0, min(_WIDEST, math.ceil(10 * radius) / 10))),
    ):
        then = opens_after(arrangement, layers, row, command, degrees)
        if then is not None and then < now:
            found.append(Completion(command, then))
    return now, sorted(found, key=lambda one: one.opens)


def opens_after(
    arrangement: Arrangement,
    layers: LayerStore,
    row: str,
    command: GrowUnder | RoundOff,
    degrees: Sequence[float] = RANGE,
) -> int | None:
    """How many pixels would open at a joint after a command; None where that cannot be done."""
    tried = TriedLayers(layers)
    try:
        after, _ = edited(arrangement, command, tried)
        return opens(turning_at(after, tried, row)[1], degrees)
    except (ArrangementError, SelectionError):
        return None
