"""A motion of one figure laid on another: its parts are found by name, by the words of the name and the side, or by role.

Common practice, no published source. Pixels are taken along in the size of the part that they are laid on.
"""

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import cache, lru_cache
from typing import Annotated, Any, Literal, TypeAlias

from fontTools.pens.svgPathPen import SVGPathPen
from fontTools.pens.transformPen import TransformPen
from fontTools.svgLib.path import parse_path
from pydantic import Field, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from yuplet.documents import first_fault
from yuplet.errors import MotionError, shown
from yuplet.rehearsal.motion.commands import PutTracks
from yuplet.rehearsal.motion.document import (
    CAMERA,
    CONFIG,
    GROUND,
    MOST_TRACKS,
    Key,
    Motion,
    MotionPath,
    Name,
    Number,
    Pair,
    Place,
    Track,
)
from yuplet.rehearsal.motion.rig import Rig, RigPart, RigSet

How: TypeAlias = Literal["name", "words", "role"]
MOST_KEYS = 20_000
"""Of a motion that is kept."""
_LEAST_ALIKE = 0.5
_MOST_COMPARED = 100_000
"""Pairs of names whose words are compared."""
_SIDES = {"l": "left", "r": "right"}
_WORDS = re.compile(r"[^\W_]+")


@dataclass(frozen=True, slots=True, kw_only=True, config=CONFIG)
class KeptPart:
    """What is known of a part that moved: its id, its name with the groups around it, its role, what it turns about and how large it is, in pixels."""

    id: Name
    path: Name
    role: Name
    about: Pair
    size: tuple[Number, Number]


@dataclass(frozen=True, slots=True, kw_only=True, config=CONFIG)
class KeptMotion:
    """A motion with what must be known to lay it on another figure."""

    motion: Motion
    parts: Annotated[tuple[KeptPart, ...], Field(max_length=MOST_TRACKS)]

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return dict(_adapter().dump_python(self, mode="json"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """What stands for something that moved: both by their names for people, and how it was found."""

    kept: str
    target: str
    name: str
    found_by: How


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """The counterparts in another figure, and the names of what has none."""

    pairs: tuple[Found, ...]
    left: tuple[str, ...]


def kept_motion(motion: Motion, rig: Rig) -> KeptMotion:
    """What is kept of a motion: that of the parts that are there. Raises `MotionError` where nothing of it is."""
    here = {*rig.by_id, *rig.sets, CAMERA, GROUND}
    tracks = tuple(track for track in motion.tracks if track.target in here)
    if not tracks:
        raise MotionError("Nothing of this package moves yet, so there is no motion to keep. Pose a part first.")
    if (keys := sum(len(track.keys) for track in tracks)) > MOST_KEYS:
        raise MotionError(
            f"The motion has {keys:,} keys; up to {MOST_KEYS:,} can be kept for other figures. Remove some, or keep it as a file."
        )
    paths = tuple(path for path in motion.paths if path.target in here)
    moved = {track.target for track in tracks} & set(rig.by_id)
    return KeptMotion(
        motion=Motion(stage=motion.stage, tracks=tracks, paths=paths),
        parts=tuple(
            KeptPart(id=part.id, path=part.path or part.name, role=part.role, about=part.about, size=part.box[2:])
            for part in rig.parts
            if part.id in moved
        ),
    )


def kept_from_json(value: Any) -> KeptMotion:
    """A kept motion from plain JSON values. Raises `MotionError`."""
    try:
        return _adapter().validate_python(value)
    except ValidationError as error:
        raise MotionError(f"The motion on the shelf cannot be read: {first_fault(error, value)}.") from error


def fit(kept: KeptMotion, rig: Rig) -> Fit:
    """Where each part and set that moved is in another figure: each is taken once, what is surest first."""
    pairs: list[Found] = []
    left, free = list(kept.parts), list(rig.parts)

    def pair(one: KeptPart, other: RigPart, how: How) -> None:
        pairs.append(Found(kept=one.path, target=other.id, name=other.path or other.name, found_by=how))
        left.remove(one)
        free.remove(other)

    for is_whole in (True, False):
        others = _once(free, [_called(other.path or other.name, is_whole) for other in free])
        for name, one in _once(left, [_called(part.path, is_whole) for part in left]).items():
            if name in others:
                pair(one, others[name], "name")
    if len(left) * len(free) <= _MOST_COMPARED:
        for one in list(left):
            found = _surest(one, free)
            # Nor may another that moved be as sure of it.
            if found is not None and _surest(found, left) is one:
                pair(one, found, "words")
    roles = _once(free, [other.role for other in free])
    for role, one in _once(left, [part.role for part in left]).items():
        if role in roles and role != "picture":
            pair(one, roles[role], "role")
    sets = sorted({track.target for track in kept.motion.tracks if track.property == "shown"})
    names = {name: _last(name).casefold() for name in rig.sets}
    lost = [part.path for part in left]
    for name in sets:
        same = [other for other in names if other == name] or [
            other for other, last in names.items() if last == _last(name).casefold()
        ]
        if len(same) == 1:
            pairs.append(Found(kept=name, target=same[0], name=same[0], found_by="name"))
        else:
            lost.append(name)
    return Fit(pairs=tuple(pairs), left=tuple(lost))


def laid(kept: KeptMotion, name: str, before: Motion, rig: Rig) -> PutTracks:
    """The step that lays a kept motion on a figure; what its counterparts did before gives way. Raises `MotionError` where nothing has one."""
    pairs = fit(kept, rig).pairs
    by_kept = {one.kept: one.target for one in pairs}
    parts = {part.id: part for part in kept.parts}
    targets = {part.id: by_kept[part.path] for part in kept.parts if part.path in by_kept}
    targets |= {CAMERA: CAMERA} if rig.distance is not None else {}
    targets |= {GROUND: GROUND, **{one: other for one, other in by_kept.items() if other in rig.sets}}
    stage = before.stage if before.tracks else kept.motion.stage
    tracks = []
    for track in kept.motion.tracks:
        target = targets.get(track.target)
        own = None if target is None else _laid_track(track, target, parts.get(track.target), rig, stage.duration)
        if own is not None:
            tracks.append(own)
    if not any(track.target not in (CAMERA, GROUND) for track in tracks):
        raise MotionError(
            f"Nothing of '{shown(name)}' has a counterpart in this figure: no part is called alike. Fit a template in Put in order, Sets, or rename parts."
        )
    moved = {track.target for track in tracks} - {CAMERA, GROUND}
    placed = {track.place for track in tracks}
    gone: list[Place] = [track.place for track in before.tracks if track.target in moved and track.place not in placed]
    paths = {path.target: path for path in before.paths if path.target not in moved}
    for path in kept.motion.paths:
        if path.target in targets and path.target in parts:
            target = targets[path.target]
            paths[target] = MotionPath(target, _laid_path(path.data, parts[path.target], rig.by_id[target]), path.turns)
    return PutTracks(
        tracks=tuple(sorted(tracks, key=lambda track: track.place)),
        gone=tuple(gone),
        stage_after=None if before.tracks else stage,
        paths_after=tuple(paths[target] for target in sorted(paths)),
        what=f"Lay '{name}' on the figure",
    )


@cache
def _adapter() -> TypeAdapter[KeptMotion]:
    return TypeAdapter(KeptMotion)


def _once(parts: Iterable[Any], names: Iterable[str]) -> dict[str, Any]:
    """By what they are called those that nothing else is called like."""
    found: dict[str, Any] = {}
    for part, name in zip(parts, names, strict=True):
        found[name] = None if name in found else part
    return {name: part for name, part in found.items() if part is not None}


def _called(path: str, is_whole: bool) -> str:
    return (path if is_whole else _last(path)).casefold()


def _surest(one: KeptPart | RigPart, others: Iterable[Any]) -> Any:
    """The one other whose words are most alike; None where none is, or two are."""
    own = _last(one.path or "")
    ranked = sorted(((_alike(own, _last(other.path)), other) for other in others), key=lambda pair: -pair[0])[:2]
    if not ranked or ranked[0][0] <= 0 or (len(ranked) == 2 and ranked[1][0] == ranked[0][0]):
        return None
    return ranked[0][1]


def _last(path: str) -> str:
    return path.rpartition(" / ")[2].rpartition("/")[2]


def _alike(one: str, other: str) -> float:
    """How many of their words are the same, of all; 0 below half, and where the sides differ."""
    words, others = _words(one), _words(other)
    sides = {"left", "right"}
    if words & sides != others & sides or not words - sides:
        return 0.0
    share = len(words & others) / len(words | others)
    return share if share >= _LEAST_ALIKE and words & others - sides else 0.0


@lru_cache(10_000)
def _words(name: str) -> frozenset[str]:
    found = (word.casefold() for word in _WORDS.findall(name))
    return frozenset(_SIDES.get(word, word) for word in found)


def _laid_track(track: Track, target: str, part: KeptPart | None, rig: Rig, end: float) -> Track | None:
    """A track about another target: places as much larger as the part is, members by their names, times within the motion."""
    keys: Iterable[Key] = (key for key in track.keys if key.at <= end)
    if track.property == "translate" and part is not None:
        grown = _grown(part, rig.by_id[target])
        keys = (replace(key, value=(key.value[0] * grown, key.value[1] * grown)) for key in keys if isinstance(key.value, tuple))  # fmt: skip
    if track.property == "shown":
        known = _members(rig.sets[target])
        keys = (replace(key, value=known[name]) for key in keys if (name := str(key.value).casefold()) in known)
    found = tuple(keys)
    return Track(target, track.property, found) if found else None


def _members(one: RigSet) -> Mapping[str, str]:
    return {name.casefold(): name for name in one.members}


def _grown(part: KeptPart, other: RigPart) -> float:
    before, now = math.hypot(*part.size), math.hypot(*other.box[2:])
    return now / before if before > 0 and now > 0 else 1.0


def _laid_path(data: str, part: KeptPart, other: RigPart) -> str:
    """The path as it lies about what the part turns about, as much larger as the part is."""
    grown = _grown(part, other)
    pen = SVGPathPen(None, ntos=lambda value: f"{value:.6g}")
    moved = TransformPen(
        pen, (grown, 0, 0, grown, other.about[0] - grown * part.about[0], other.about[1] - grown * part.about[1])
    )
    parse_path(data, moved)
    return str(pen.getCommands())
