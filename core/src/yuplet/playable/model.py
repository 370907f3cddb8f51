"""A motion as binary glTF with channels of animation: a node for each part at its pivot, below the one that carries it.

y points up and z to whoever looks; the bottom left corner of the canvas is at 0, 0. Rotations about z are quaternions. What the format does not have (opacity that
changes, modes of blending, a ground, pictures that follow each other) is said in notes.
"""

from typing import Any

import numpy as np

from yuplet.errors import MotionError
from yuplet.geometry import Point
from yuplet.illustration.derived import Turn
from yuplet.playable.elements import MOST_VALUES, Pictures
from yuplet.playable.laid import laid
from yuplet.rehearsal.motion.camera import times_of
from yuplet.rehearsal.motion.document import Motion
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import Maps, sample
from yuplet.rehearsal.picture import Scene
from yuplet.writing.glb import Floats, Glb

UNIT = 100.0
"""Pixels of a unit of space."""
STEP = 0.001
"""Units from each part to the next one in front."""


def model(scene: Scene, rig: Rig, motion: Motion, title: str) -> tuple[bytes, tuple[str, ...]]:
    """The file, and sentences about what it cannot carry. Raises `MotionError` for a motion that is too large for a file."""
    times, moments = _times(motion)
    if len(times) * len(rig.parts) > MOST_VALUES:
        raise MotionError(
            f"{len(times):,} pictures of {len(rig.parts):,} parts are too much for one file. Make the motion shorter, or use fewer frames per second."
        )
    seen = sample(motion, rig, moments)
    made, pictures = Glb(UNIT, True), Pictures()
    seen_when = laid(scene, rig, seen.members)
    nodes: list[dict[str, Any]] = [{"name": title or "picture", "children": []}]
    where = {part.id: at for at, part in enumerate(rig.parts)}
    numbers: dict[str, int] = {}
    lost = {"pictures that follow each other": 0, "an opacity that changes": 0}
    order = 0
    world: dict[str, Floats] = {}
    for part in rig.carriers_first:
        at = where[part.id]
        about = np.array([[1, 0, part.about[0] / UNIT], [0, 1, (scene.height - part.about[1]) / UNIT], [0, 0, 1.0]])
        world[part.id] = _upright(seen.maps[:, at], scene.height) @ about
        parent = part.parent if part.parent in numbers else None
        local = world[part.id] if parent is None else _below(world[parent], world[part.id])
        numbers[part.id] = len(nodes)
        nodes[numbers.get(parent or "", 0)].setdefault("children", []).append(len(nodes))
        node: dict[str, Any] = {
            "name": part.name,
            "extras": {"id": part.id, "path": part.path, "about": list(part.about)},
        }
        nodes.append(node)
        _move(made, node, numbers[part.id], times, local)
    for part in rig.parts:
        at = where[part.id]
        placed, is_seen = scene.placed.get(part.id), seen_when.shown[:, at]
        order += 1
        if placed is None or not is_seen.any():
            continue
        lost["pictures that follow each other"] += len(placed.moments) > 1
        lost["an opacity that changes"] += len(set(np.round(seen.opacity[:, at], 6).tolist())) > 1
        number = len(nodes)
        texture = made.texture(pictures.of(placed.image), part.name)
        corner = Point((placed.left - part.about[0]) / UNIT, (part.about[1] - placed.top - placed.image.height) / UNIT)
        size = (placed.image.width / UNIT, placed.image.height / UNIT)
        alpha = placed.opacity * seen_when.opacity[part.id] * float(seen.opacity[0, at])
        mesh = made.quad(corner, size, Turn(), texture, alpha, part.name)
        drawn: dict[str, Any] = {"name": f"{part.name} picture", "mesh": mesh, "translation": [0, 0, order * STEP]}
        if not is_seen.all():
            drawn["scale"] = [float(is_seen[0])] * 3
            made.animate(number, "scale", times, np.repeat(is_seen[:, None], 3, axis=1).astype(np.float64), True)
        nodes[numbers[part.id]].setdefault("children", []).append(number)
        nodes.append(drawn)
    notes = [f"{count} of its parts have {what}, which a model cannot show." for what, count in lost.items() if count]
    if seen_when.modes:
        notes.append(
            f"{seen_when.modes} of its parts or groups are laid by a mode other than normal, which a model does not have."
        )
    if seen.ground is not None or motion.stage.ground is not None or scene.ground is not None:
        notes.append("A model has no ground behind it.")
    return made.file(nodes, ""), tuple(notes)


def _times(motion: Motion) -> tuple[Floats, Floats]:
    """When the pictures of the file are, in seconds, and which moment of one iteration each shows: there, or back, or there and back."""
    moments = times_of(motion)
    moments[-1] = motion.stage.duration
    direction = motion.stage.direction
    back = moments[::-1]
    if direction == "normal":
        return moments, moments
    if direction == "reverse":
        return motion.stage.duration - back, back
    ends = motion.stage.duration
    first, then = (moments, back) if direction == "alternate" else (back, moments)
    own = moments if direction == "alternate" else ends - back
    other = ends - back if direction == "alternate" else moments
    return np.concatenate([own, ends + other[1:]]), np.concatenate([first, then[1:]])


def _upright(maps: Maps, height: int) -> Floats:
    """(T, 6) maps of the canvas, y down in pixels, as (T, 3, 3) of a space with y up in units."""
    a, b, c, d, e, f = maps.T
    found = np.zeros((len(maps), 3, 3))
    found[:, 0, 0], found[:, 0, 1], found[:, 1, 0], found[:, 1, 1] = a, -c, -b, d
    found[:, 0, 2] = (e + c * height) / UNIT
    found[:, 1, 2] = (height - f - d * height) / UNIT
    found[:, 2, 2] = 1
    return found


def _below(above: Floats, whole: Floats) -> Floats:
    """What comes after a carrier's map; where that leaves nothing to see, nothing can be said."""
    is_flat = np.abs(np.linalg.det(above)) < 1e-12
    safe = np.where(is_flat[:, None, None], np.eye(3), above)
    found = np.linalg.inv(safe) @ whole
    return np.where(is_flat[:, None, None], np.eye(3), found)


def _move(made: Glb, node: dict[str, Any], number: int, times: Floats, local: Floats) -> None:
    """Place, turn and size of a node at all times. A map of this kind has no shear: sizes come before turns all along the chain."""
    wide = np.hypot(local[:, 0, 0], local[:, 1, 0])
    angles = np.unwrap(np.arctan2(local[:, 1, 0], local[:, 0, 0]))
    determinant = local[:, 0, 0] * local[:, 1, 1] - local[:, 0, 1] * local[:, 1, 0]
    high = determinant / np.where(wide == 0, 1, wide)
    translation = np.stack([local[:, 0, 2], local[:, 1, 2], np.zeros(len(local))], axis=1)
    rotation = np.stack([np.zeros(len(local)), np.zeros(len(local)), np.sin(angles / 2), np.cos(angles / 2)], axis=1)
    scale = np.stack([wide, high, np.ones(len(local))], axis=1)
    for path, values in (("translation", translation), ("rotation", rotation), ("scale", scale)):
        node[path] = [float(one) for one in values[0]]
        if np.abs(values - values[0]).max() > 1e-9:
            made.animate(number, path, times, values)  # type: ignore[arg-type]
