"""Where a motion takes each part: the keys of a moment, and the chain of maps from a part to what carries it.

Source of the order of maps: W3C CSS Transforms Level 2 (translate, then rotate, then scale, about the transform origin), with the pivot as
origin; what carries a part is applied after the part's own map, as the manifest says.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.rehearsal.motion.document import (
    CAMERA,
    GROUND,
    REST,
    STILL,
    Motion,
    MotionPath,
    Place,
    Property,
    Track,
    Value,
)
from yuplet.rehearsal.motion.easing import Floats, easing
from yuplet.rehearsal.motion.path import measured
from yuplet.rehearsal.motion.rig import Rig, RigPart

Maps: TypeAlias = NDArray[np.float64]
"""(..., 6): a, b, c, d, e, f of CSS matrix(): x' = a x + c y + e, y' = b x + d y + f."""


@dataclass(frozen=True, slots=True)
class Sampled:
    """What is seen at T times of one iteration, for the P parts and the S sets of a rig in their order.

    `maps` is (T, P, 6), from where a part lies at rest to where it lies; `opacity` (T, P), factors of its own; `members` (T, S), the number of
    the member that is seen; `ground` (T, 3) the colour behind everything, 0 to 255, and `camera` (T, 3) where it stands, each None where it does not
    change.
    """

    maps: Maps
    opacity: Floats
    members: NDArray[np.int32]
    ground: Floats | None = None
    camera: Floats | None = None


def sample(motion: Motion, rig: Rig, times: Floats) -> Sampled:
    """Where everything is at moments of the motion, in seconds of one iteration.

    What the tracks say of parts that the rig does not have is passed over: it is kept for when they come back.
    """
    tracks = motion.by_place()
    count = len(times)
    maps = np.zeros((count, len(rig.parts), 6))
    opacity = np.ones((count, len(rig.parts)))
    where = {part.id: at for at, part in enumerate(rig.parts)}
    moving: dict[str, Maps] = {}
    paths = {path.target: path for path in motion.paths}
    for part in rig.carriers_first:
        at = where[part.id]
        own = _own_map(part, tracks, paths.get(part.id), times)
        above = moving.get(part.parent or "")
        whole = _chained(above, own) if above is not None and own is not None else own if above is None else above
        if whole is not None:
            moving[part.id] = whole
        maps[:, at] = _SAME if whole is None else whole
        track = tracks.get((part.id, "opacity"))
        if track is not None:
            opacity[:, at] = np.clip(_numbers(track, times)[:, 0], 0, 1)
    way = tracks.get((CAMERA, "camera"))
    camera = None if way is None else _numbers(way, times)
    if camera is not None and rig.distance is not None:
        for at, part in enumerate(rig.parts):
            maps[:, at] = _chained(through_camera(camera, part.depth, rig.distance, rig.size), maps[:, at])
    members = np.zeros((count, len(rig.sets)), np.int32)
    for at, (name, one) in enumerate(rig.sets.items()):
        members[:, at] = one.rest
        track = tracks.get((name, "shown"))
        if track is not None:
            numbers = {member: number for number, member in enumerate(one.members)}
            said = np.array([numbers.get(str(key.value), one.rest) for key in track.keys])
            members[:, at] = said[_segment(track, times)]
    ground = tracks.get((GROUND, "ground"))
    return Sampled(maps, opacity, members, None if ground is None else _numbers(ground, times), camera)


def through_camera(camera: Floats, depth: float, distance: float, size: tuple[int, int]) -> Maps:
    """Where a plane at a depth is seen, (T, 6), by a camera that moves; what is drawn at rest is seen as drawn.

    `camera` is (T, 3): to the right, down, and towards the picture, in pixels. A plane at depth z moves by the camera's way times D / (D + z), as the
    manifest says; going towards it by c makes it (D + z) / (D + z - c) times as large, about the middle of the canvas. What the camera has
    passed is not seen: it is nowhere.
    """
    across, down, towards = camera.T
    left = distance + depth - towards
    is_before = left > 1e-6 * distance
    safe = np.where(is_before, left, 1.0)
    factor, shift = (distance + depth) / safe, distance / safe
    middle_x, middle_y = size[0] / 2, size[1] / 2
    found = np.zeros((len(camera), 6))
    found[:, 0] = found[:, 3] = np.where(is_before, factor, 0.0)
    found[:, 4] = np.where(is_before, middle_x * (1 - factor) - across * shift, -1e6)
    found[:, 5] = np.where(is_before, middle_y * (1 - factor) - down * shift, -1e6)
    return found


def packed(sampled: Sampled) -> bytes:
    """The same as little-endian bytes, for a page that plays it.

    Five uint32 (T, P, how many parts M move, S, and 1 where the ground changes plus 2 where the camera does), the M numbers of the parts that move as uint32, what each part is at the first moment as
    P x 7 float32 (a, b, c, d, e, f, opacity), the same of those that move as T x M x 7, and the members of sets as T x S int32; then the
    ground and the camera, where they change, as T x 3 float32 each.
    """
    whole = np.concatenate([sampled.maps, sampled.opacity[..., None]], axis=2).astype("<f4")
    moving = np.flatnonzero((whole != whole[:1]).any(axis=(0, 2)))
    more = [b"" if one is None else one.astype("<f4").tobytes() for one in (sampled.ground, sampled.camera)]
    flags = sum(bit for bit, one in zip((1, 2), more, strict=True) if one)
    head = np.array([*whole.shape[:2], len(moving), sampled.members.shape[1], flags, *moving], "<u4")
    return b"".join(
        (
            head.tobytes(),
            whole[0].tobytes(),
            whole[:, moving].tobytes(),
            sampled.members.astype("<i4").tobytes(),
            *more,
        )
    )


def values_at(motion: Motion, rig: Rig, target: str, at: float) -> dict[Property, Any]:
    """What every property of a part or a set is at a moment, as a key would have it."""
    tracks = motion.by_place()
    times = np.array([at])
    if target in rig.sets:
        track = tracks.get((target, "shown"))
        one = rig.sets[target]
        return {"shown": one.members[one.rest] if track is None else track.keys[_segment(track, times)[0]].value}
    names: Mapping[Property, Value] = {"camera": STILL["camera"]} if target == CAMERA else REST
    found: dict[Property, Any] = {}
    for name, rest in names.items():
        track = tracks.get((target, name))
        if track is None:
            found[name] = rest
        else:
            numbers = [float(one) for one in _numbers(track, times)[0]]
            found[name] = tuple(numbers) if isinstance(rest, tuple) else numbers[0]
    return found


_CLOSE = 1e-9
"""Seconds within which times that were computed in different ways are the same."""
_SAME = np.array([1.0, 0.0, 0.0, 1.0, 0.0, 0.0])


def _own_map(part: RigPart, tracks: Mapping[Place, Track], path: MotionPath | None, times: Floats) -> Maps | None:
    """The map of a part by itself, (T, 6); None where it does not move at all. On a path its pivot goes along."""
    found: dict[str, Floats] = {}
    names: tuple[Property, ...] = ("translate", "rotate", "scale")
    for name in names:
        track = tracks.get((part.id, name))
        if track is not None:
            found[name] = _numbers(track, times)
    way = tracks.get((part.id, "offset-distance")) if path is not None else None
    if not found and way is None:
        return None
    across, down = found.get("translate", np.zeros((1, 2))).T
    angle = np.radians(found.get("rotate", np.zeros((1, 1)))[:, 0])
    wide, high = found.get("scale", np.ones((1, 2))).T
    cos, sin = np.cos(angle), np.sin(angle)
    x, y = part.about
    if path is not None and way is not None:
        places, directions = measured(path.data).at(_numbers(way, times)[:, 0] / 100)
        across, down = across + places[:, 0] - x, down + places[:, 1] - y
        if path.turns is not None:
            angle = angle + np.radians(directions + path.turns)
            cos, sin = np.cos(angle), np.sin(angle)
    own = np.empty((len(times), 6))
    own[:, 0], own[:, 1], own[:, 2], own[:, 3] = cos * wide, sin * wide, -sin * high, cos * high
    own[:, 4] = x + across - (own[:, 0] * x + own[:, 2] * y)
    own[:, 5] = y + down - (own[:, 1] * x + own[:, 3] * y)
    return own


def _chained(outer: Maps, inner: Maps) -> Maps:
    """First the inner map, then the outer one."""
    a, b, c, d, e, f = outer.T
    ia, ib, ic, id_, ie, if_ = inner.T
    return np.stack(
        (
            a * ia + c * ib,
            b * ia + d * ib,
            a * ic + c * id_,
            b * ic + d * id_,
            a * ie + c * if_ + e,
            b * ie + d * if_ + f,
        ),
        axis=1,
    )


def _segment(track: Track, times: Floats) -> NDArray[np.intp]:
    """Which key was the last at each time; before the first it is the first."""
    starts = np.array([key.at for key in track.keys])
    return np.clip(np.searchsorted(starts, times + _CLOSE, side="right") - 1, 0, len(starts) - 1)


def _numbers(track: Track, times: Floats) -> Floats:
    """A property at each time, (T, 1) to (T, 3): eased from key to key, as the nearest key before the first and after the last."""
    values = np.array([_plain(key.value) for key in track.keys], np.float64)
    if len(values) == 1:
        return np.broadcast_to(values, (len(times), values.shape[1]))
    starts = np.array([key.at for key in track.keys])
    at = np.minimum(_segment(track, times), len(starts) - 2)
    share = np.clip((times - starts[at]) / (starts[at + 1] - starts[at]), 0, 1)
    # Only between the keys: at the last one its value is reached.
    is_between = (times >= starts[at] - _CLOSE) & (times < starts[at + 1] - _CLOSE)
    easings = [key.easing for key in track.keys[:-1]]
    for text in set(easings) - {"linear"}:
        here = is_between if len(set(easings)) == 1 else is_between & np.array([one == text for one in easings])[at]
        share[here] = easing(text)(share[here])
    return np.asarray(values[at] + share[:, None] * (values[at + 1] - values[at]), np.float64)


def _plain(value: Value) -> tuple[float, ...]:
    """A value as numbers; a colour as its three."""
    if isinstance(value, str):
        return tuple(bytes.fromhex(value[1:]))
    return value if isinstance(value, tuple) else (value,)
