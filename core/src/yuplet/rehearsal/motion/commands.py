"""What somebody does to a motion: one class a command, with what it changes and its title. What takes one back is always `PutTracks`."""

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Mapping
from dataclasses import fields, replace
from functools import cache, reduce
from operator import or_
from typing import Annotated, Any, Literal, TypeAlias

from pydantic import Field, StrictStr, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from yuplet.documents import first_fault
from yuplet.errors import MotionError, shown
from yuplet.rehearsal.motion.document import (
    CAMERA,
    CONFIG,
    GROUND,
    LONGEST_NAME,
    MOST_KEYS,
    REST,
    STILL,
    Key,
    Motion,
    MotionPath,
    Name,
    Place,
    Property,
    Seconds,
    Stage,
    Track,
    Value,
)
from yuplet.rehearsal.motion.easing import LONGEST, easing
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import values_at
from yuplet.rehearsal.motion.twins import mirrored_value, twin_of

Changed: TypeAlias = dict[Place, Track | None]
_CLOSE = 1e-6


@dataclass(frozen=True, slots=True, config=CONFIG)
class KeyRef:
    """One key, by its track and its time."""

    target: Name
    property: Property
    at: Seconds


Keys: TypeAlias = Annotated[tuple[KeyRef, ...], Field(min_length=1, max_length=MOST_KEYS)]
Targets: TypeAlias = Annotated[tuple[Name, ...], Field(max_length=10_000)]


class MotionCommand(ABC):
    """What somebody does, as a small value."""

    __slots__ = ()
    do: str

    @abstractmethod
    def title(self, before: Motion, rig: Rig) -> str:
        """The name of the step, for the undo and redo buttons."""

    @abstractmethod
    def changed(self, before: Motion, rig: Rig) -> Changed:
        """The tracks that it makes different, None for those that it takes away. Raises `MotionError`."""

    def stage(self, before: Motion) -> Stage:
        """How the motion is played after it."""
        return before.stage

    def paths(self, before: Motion) -> tuple[MotionPath, ...]:
        """The paths that there are after it."""
        return before.paths


@dataclass(frozen=True, slots=True, config=CONFIG)
class Pose(MotionCommand):
    """Set properties at a time. A property that has no key, or one that is its pose, is changed for all time, unless `writes_keys`."""

    values: Annotated[Mapping[Name, Mapping[Property, Value]], Field(min_length=1, max_length=10_000)]
    at: Seconds = 0.0
    writes_keys: bool = False
    do: Literal["pose"] = "pose"

    def title(self, before: Motion, rig: Rig) -> str:
        what = {name for values in self.values.values() for name in values}
        words = {
            "camera": "Move",
            "ground": "Colour",
            "offset-distance": "Move along its path",
            "translate": "Move",
            "rotate": "Turn",
            "scale": "Resize",
            "opacity": "Opacity of",
            "shown": "Show another of",
        }
        return f"{words[next(iter(what))] if len(what) == 1 else 'Pose'} {_named(rig, self.values)}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        found: Changed = {}
        tracks = before.by_place()
        for target, values in self.values.items():
            _require_target(rig, target)
            for name, value in values.items():
                _require_property(rig, target, name)
                track = tracks.get((target, name))
                found[target, name] = self._set(track, target, name, value)
        return found

    def _set(self, track: Track | None, target: str, name: Property, value: Value) -> Track | None:
        if not self.writes_keys and (track is None or len(track.keys) == 1):
            if value == STILL.get(name):
                return None
            at = track.keys[0].at if track else 0.0
            return Track(target, name, (Key(at, value),))
        keys = {key.at: key for key in (track.keys if track else ())}
        if track is None and self.at > 0 and name in STILL:
            # What it was until now is where the motion begins.
            keys[0.0] = Key(0.0, STILL[name])
        at = next((one for one in keys if abs(one - self.at) < _CLOSE), self.at)
        keys[at] = Key(at, value, keys[at].easing if at in keys else _easing_before(track, self.at))
        return _track(target, name, keys.values())


@dataclass(frozen=True, slots=True, config=CONFIG)
class MoveKeys(MotionCommand):
    """Move keys in time by some seconds; a key that they come to lie on gives way."""

    keys: Keys
    by: Annotated[float, Field(ge=-1000, le=1000)]
    do: Literal["move-keys"] = "move-keys"

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Move {_counted(self.keys)}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        return _retimed(before, self.keys, lambda at: at + self.by)


@dataclass(frozen=True, slots=True, config=CONFIG)
class StretchKeys(MotionCommand):
    """Make the time between keys so many times as long, `about` a time that stays."""

    keys: Keys
    about: Seconds
    factor: Annotated[float, Field(ge=0.01, le=100)]
    do: Literal["stretch-keys"] = "stretch-keys"

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Stretch {_counted(self.keys)}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        return _retimed(before, self.keys, lambda at: self.about + (at - self.about) * self.factor)


@dataclass(frozen=True, slots=True, config=CONFIG)
class CopyKeys(MotionCommand):
    """Put copies of keys so that the first is at a time, in the same order or the other way round."""

    keys: Keys
    to: Seconds
    reversed: bool = False
    do: Literal["copy-keys"] = "copy-keys"

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Paste {_counted(self.keys)}{' reversed' if self.reversed else ''}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        first, last = min(key.at for key in self.keys), max(key.at for key in self.keys)
        found: Changed = {}
        for track, chosen in _chosen(before, self.keys):
            keys = {key.at: key for key in track.keys}
            # What leads from one key to the next belongs to the space between them, whichever way it is gone through.
            easings = [key.easing for key in chosen]
            if self.reversed:
                chosen, easings = chosen[::-1], [*easings[:-1][::-1], easings[-1]]
            for key, text in zip(chosen, easings, strict=True):
                at = _within(self.to + (last - key.at if self.reversed else key.at - first), before)
                keys[at] = Key(at, key.value, text)
            found[track.place] = _track(track.target, track.property, keys.values())
        return found


@dataclass(frozen=True, slots=True, config=CONFIG)
class EaseKeys(MotionCommand):
    """How it goes on from keys to the next ones: a CSS easing."""

    keys: Keys
    easing: Annotated[StrictStr, Field(max_length=LONGEST)]
    do: Literal["ease-keys"] = "ease-keys"

    def __post_init__(self) -> None:
        easing(self.easing)

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Easing of {_counted(self.keys)}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        found: Changed = {}
        for track, chosen in _chosen(before, self.keys):
            times = {key.at for key in chosen}
            keys = tuple(replace(key, easing=self.easing) if key.at in times else key for key in track.keys)
            found[track.place] = replace(track, keys=keys)
        return found


@dataclass(frozen=True, slots=True, config=CONFIG)
class RemoveKeys(MotionCommand):
    """Take keys away; a track without any goes too."""

    keys: Keys
    do: Literal["remove-keys"] = "remove-keys"

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Remove {_counted(self.keys)}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        return {
            track.place: _track(track.target, track.property, [key for key in track.keys if key not in chosen])
            for track, chosen in _chosen(before, self.keys)
        }


@dataclass(frozen=True, slots=True, config=CONFIG)
class Reset(MotionCommand):
    """Put parts and sets back to how they are at rest, their keys and paths with them; all that there are where none is named."""

    targets: Targets = ()
    do: Literal["reset"] = "reset"

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Reset {_named(rig, self.targets)}" if self.targets else "Reset everything"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        return {track.place: None for track in before.tracks if not self.targets or track.target in self.targets}

    def paths(self, before: Motion) -> tuple[MotionPath, ...]:
        return tuple(path for path in before.paths if self.targets and path.target not in self.targets)


@dataclass(frozen=True, slots=True, config=CONFIG)
class MirrorPose(MotionCommand):
    """Give the twins of parts (left for right) the same pose at a time, mirrored."""

    targets: Annotated[tuple[Name, ...], Field(min_length=1, max_length=10_000)]
    at: Seconds = 0.0
    writes_keys: bool = False
    do: Literal["mirror-pose"] = "mirror-pose"

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Mirror the pose of {_named(rig, self.targets)}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        values: dict[str, dict[Property, Value]] = {}
        for target in self.targets:
            _require_target(rig, target)
            twin = twin_of(rig, target)
            if twin is None:
                raise MotionError(
                    f"'{shown(rig.label(target))}' has no twin: no part has the same name with left and right swapped. Rename one of them in Put in order, or select another part."
                )
            here = values_at(before, rig, target, self.at)
            values[twin] = {name: mirrored_value(name, value) for name, value in here.items()}
        return Pose(values, self.at, self.writes_keys).changed(before, rig)


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetStage(MotionCommand):
    """How long it is and how it is played."""

    stage_after: Stage
    do: Literal["set-stage"] = "set-stage"

    def title(self, before: Motion, rig: Rig) -> str:
        return "Length and playing"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        return {}

    def stage(self, before: Motion) -> Stage:
        return self.stage_after


@dataclass(frozen=True, slots=True, config=CONFIG)
class SetPath(MotionCommand):
    """Give a part a path to go along, or (null) take it away. A part that gets its first one goes along it from the beginning of the motion to its end."""

    target: Name
    path: MotionPath | None
    do: Literal["set-path"] = "set-path"

    def __post_init__(self) -> None:
        if self.path is not None and self.path.target != self.target:
            raise MotionError("The path is another part's. Reload the page.")

    def title(self, before: Motion, rig: Rig) -> str:
        return f"Path of {_named(rig, [self.target])}"

    def changed(self, before: Motion, rig: Rig) -> Changed:
        if self.target not in rig.by_id:
            raise MotionError(f"There is no part '{shown(self.target)}' in this package. Reload the page.")
        place: Place = (self.target, "offset-distance")
        if self.path is None:
            return {place: None}
        if before.track(place) is not None:
            return {}
        return {place: Track(*place, (Key(0.0, 0.0), Key(before.stage.duration, 100.0)))}

    def paths(self, before: Motion) -> tuple[MotionPath, ...]:
        others = [path for path in before.paths if path.target != self.target]
        own = [] if self.path is None else [self.path]
        return tuple(sorted((*others, *own), key=lambda path: path.target))


@dataclass(frozen=True, slots=True, config=CONFIG)
class PutTracks(MotionCommand):
    """Tracks and paths as they were: in the log it takes any other command back. `gone` are tracks that were not there."""

    tracks: tuple[Track, ...] = ()
    gone: tuple[tuple[Name, Property], ...] = ()
    stage_after: Stage | None = None
    paths_after: tuple[MotionPath, ...] | None = None
    what: Annotated[StrictStr, Field(max_length=LONGEST_NAME)] = "Put back"
    do: Literal["put-tracks"] = "put-tracks"

    def title(self, before: Motion, rig: Rig) -> str:
        return self.what

    def changed(self, before: Motion, rig: Rig) -> Changed:
        return {**{track.place: track for track in self.tracks}, **dict.fromkeys(self.gone)}

    def stage(self, before: Motion) -> Stage:
        return self.stage_after or before.stage

    def paths(self, before: Motion) -> tuple[MotionPath, ...]:
        return before.paths if self.paths_after is None else self.paths_after


COMMANDS: tuple[type[MotionCommand], ...] = (
    Pose, MoveKeys, StretchKeys, CopyKeys, EaseKeys, RemoveKeys, Reset, MirrorPose, SetStage, SetPath, PutTracks,
)  # fmt: skip


def applied(before: Motion, rig: Rig, command: MotionCommand) -> tuple[Motion, PutTracks]:
    """The motion after a command, and the command that takes it back. Raises `MotionError`."""
    changed = command.changed(before, rig)
    stage, paths = command.stage(before), command.paths(before)
    after = replace(before.with_tracks(changed), stage=stage, paths=paths)
    tracks = before.by_place()
    back = PutTracks(
        tracks=tuple(tracks[place] for place in sorted(changed) if place in tracks),
        gone=tuple(place for place in sorted(changed) if place not in tracks),
        stage_after=before.stage if stage != before.stage else None,
        paths_after=before.paths if paths != before.paths else None,
    )
    return after, back


def command_from_json(value: Any) -> MotionCommand:
    """A command from plain JSON values; raises `MotionError` for anything that is not one."""
    kind = value.get("do") if isinstance(value, Mapping) else None
    if not isinstance(kind, str) or kind not in _kinds():
        raise MotionError(f"There is no step called '{shown(str(kind))}'. Known are: {', '.join(_kinds())}.")
    try:
        return _adapter().validate_python(value)
    except ValidationError as error:
        raise MotionError(f"The step '{kind}' is not complete: {first_fault(error, value)}.") from error


def command_to_json(command: MotionCommand) -> dict[str, Any]:
    """A command as plain JSON values, its kind under 'do'."""
    return dict(_adapter().dump_python(command, mode="json"))


def commands_schema(reference: str = "#/$defs/{model}") -> dict[str, Any]:
    """What keeps to the form of a command, as JSON Schema 2020-12: `oneOf`, told apart by `do`."""
    # As they are written: there every field is said, and also `do`.
    return _adapter().json_schema(mode="serialization", ref_template=reference)


@cache
def _kinds() -> tuple[str, ...]:
    return tuple(str(field.default) for command in COMMANDS for field in fields(command) if field.name == "do")  # type: ignore[arg-type]


@cache
def _adapter() -> TypeAdapter[MotionCommand]:
    return TypeAdapter(Annotated[reduce(or_, COMMANDS), Field(discriminator="do")])  # type: ignore[arg-type]


def _track(target: str, name: Property, keys: Iterable[Key]) -> Track | None:
    ordered = tuple(sorted(keys, key=lambda key: key.at))
    return Track(target, name, ordered) if ordered else None


def _easing_before(track: Track | None, at: float) -> str:
    """A key between two others goes on as it went on there."""
    before = [key for key in track.keys if key.at < at] if track else []
    return before[-1].easing if before else "linear"


def _chosen(before: Motion, keys: Keys) -> list[tuple[Track, list[Key]]]:
    """The keys that are meant, by their tracks. Raises `MotionError` where one is not there."""
    tracks = before.by_place()
    wanted: dict[Place, list[float]] = {}
    for ref in keys:
        wanted.setdefault((ref.target, ref.property), []).append(ref.at)
    found = []
    for place, times in wanted.items():
        track = tracks.get(place)
        chosen = [key for key in (track.keys if track else ()) if any(abs(key.at - at) < _CLOSE for at in times)]
        if track is None or len(chosen) < len(set(times)):
            raise MotionError("One of the keys is no longer there. Choose again.")
        found.append((track, chosen))
    return found


def _retimed(before: Motion, keys: Keys, moved: Callable[[float], float]) -> Changed:
    found: Changed = {}
    for track, chosen in _chosen(before, keys):
        stay = {key.at: key for key in track.keys if key not in chosen}
        gone = {at: replace(key, at=at) for key in chosen for at in [_within(moved(key.at), before)]}
        found[track.place] = _track(track.target, track.property, {**stay, **gone}.values())
    return found


def _within(at: float, motion: Motion) -> float:
    """A time that keys may have: none lies before the beginning or after the end."""
    return round(min(max(at, 0.0), motion.stage.duration), 6)


def _require_target(rig: Rig, target: str) -> None:
    if target not in rig.by_id and target not in rig.sets and target not in _OWN:
        raise MotionError(f"There is no part '{shown(target)}' in this package. Reload the page.")


def _require_property(rig: Rig, target: str, name: Property) -> None:
    own = _OWN.get(target) or (("shown",) if target in rig.sets else (*REST, "offset-distance"))
    if name not in own:
        raise MotionError(f"'{shown(rig.label(target))}' has no '{name}'.")


_OWN: Mapping[str, tuple[Property, ...]] = {CAMERA: ("camera",), GROUND: ("ground",)}
"""What has keys without being a part or a set."""
_CALLED = {CAMERA: "camera", GROUND: "ground"}


def _named(rig: Rig, targets: Iterable[str]) -> str:
    found = list(targets)
    labels = [rig.label(target) for target in found]
    if len(found) == 1 and found[0] in _CALLED:
        return f"the {_CALLED[found[0]]}"
    return f"'{labels[0]}'" if len(labels) == 1 else f"{len(labels)} parts"


def _counted(keys: Keys) -> str:
    return "a key" if len(keys) == 1 else f"{len(keys)} keys"
