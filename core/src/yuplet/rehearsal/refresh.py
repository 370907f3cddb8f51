"""A second package read over the first: what of it is another, new or gone, and a motion that goes on with it."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from yuplet.rehearsal.motion.document import Motion, MotionPath, Place, Track
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.package import Package


@dataclass(frozen=True, slots=True, kw_only=True)
class KnownPart:
    """What is compared of a part: `name` has the groups around it, `box` is left, top, width and height, and `content` tells its pixels
    from all others (None: nobody has said)."""

    id: str
    name: str
    box: tuple[int, int, int, int]
    pivot: tuple[float, float] | None
    parent: str | None
    content: str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Refreshed:
    """The names of parts that are otherwise than before. One that stands in several lists is otherwise in several ways; `by_name` have another id than
    the part of that name had before."""

    changed: tuple[str, ...]
    new: tuple[str, ...]
    gone: tuple[str, ...]
    other_pivot: tuple[str, ...]
    other_box: tuple[str, ...]
    other_parent: tuple[str, ...]
    by_name: tuple[str, ...]
    same: int

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return {name: list(value) if isinstance(value, tuple) else value for name, value in asdict(self).items()}


def parts_of(package: Package) -> tuple[KnownPart, ...]:
    """The parts of a package as its manifest says them."""
    found = []
    for part in package.parts:
        pivot = part.said["pivot"]
        frames = "/".join(str(frame.pixels_crc32) for frame in part.frames)
        found.append(
            KnownPart(
                id=part.id,
                name=part.label,
                box=(part.left, part.top, part.width, part.height),
                pivot=None if pivot is None else (float(pivot["canvas"][0]), float(pivot["canvas"][1])),
                parent=part.said.get("parent"),
                content=None if part.pixels_crc32 is None else f"{part.pixels_crc32} {frames}",
            )
        )
    return tuple(found)


def parts_of_trial(trial: Mapping[str, Any], contents: Mapping[str, str]) -> tuple[KnownPart, ...]:
    """The same of a package that was opened (`Trial` as JSON); `contents` tells pictures by their names."""
    return tuple(
        KnownPart(
            id=one["id"],
            name=one["name"],
            box=(one["left"], one["top"], one["width"], one["height"]),
            pivot=None if one.get("pivot") is None else (one["pivot"][0], one["pivot"][1]),
            parent=one.get("parent"),
            content=_content(one, contents),
        )
        for one in trial["parts"]
    )


def _content(part: Mapping[str, Any], contents: Mapping[str, str]) -> str | None:
    names = [part.get("picture"), *(moment["picture"] for moment in part.get("moments", ()))]
    found = [contents.get(f"{name}.png") for name in names if name]
    return "/".join(one for one in found if one) if found and all(found) else None


def refreshed(before: Sequence[KnownPart], after: Sequence[KnownPart]) -> Refreshed:
    """What is otherwise in the second package: parts are the same by their ids, else by their names."""
    ids = {part.id: part for part in before}
    taken = {part.id for part in after if part.id in ids}
    names = _once(part for part in before if part.id not in taken)
    pairs: dict[str, KnownPart] = {}
    by_name = []
    for part in after:
        if part.id in ids:
            pairs[part.id] = ids[part.id]
        elif part.name in names:
            pairs[part.id] = names[part.name]
            by_name.append(part.name)
    renamed = {old.id: new for new, old in pairs.items()}

    def where(is_other: Any) -> tuple[str, ...]:
        return tuple(part.name for part in after if part.id in pairs and is_other(pairs[part.id], part))

    other_parent = where(lambda one, other: renamed.get(one.parent, one.parent) != other.parent)
    otherwise = {
        "changed": where(lambda one, other: one.content != other.content),
        "other_pivot": where(lambda one, other: one.pivot != other.pivot),
        "other_box": where(lambda one, other: one.box != other.box),
        "other_parent": other_parent,
    }
    new = tuple(part.name for part in after if part.id not in pairs)
    kept = {old.id for old in pairs.values()}
    different = {name for found in otherwise.values() for name in found} | {*new, *by_name}
    return Refreshed(
        **otherwise,
        new=new,
        gone=tuple(part.name for part in before if part.id not in kept),
        by_name=tuple(by_name),
        same=sum(part.name not in different for part in after),
    )


def _once(parts: Iterable[KnownPart]) -> dict[str, KnownPart]:
    """By their names those that have one of their own."""
    found: dict[str, KnownPart | None] = {}
    for part in parts:
        found[part.name] = None if part.name in found else part
    return {name: part for name, part in found.items() if part is not None}


def carried_over(motion: Motion, names: Mapping[str, str], rig: Rig) -> Motion:
    """The motion for a package in which parts have other ids: what moved one that is gone moves the part of its name.

    `names` are those that targets had when they were moved. What has no counterpart, or one that is moved already, stays as it is.
    """
    known: dict[str, str | None] = {}
    for part in rig.parts:
        known[part.path] = None if part.path in known else part.id
    moved = {track.target for track in motion.tracks} | {path.target for path in motion.paths}
    found: dict[str, str] = {}
    for target in sorted(moved):
        other = known.get(names.get(target, ""))
        if target not in rig.by_id and other is not None and other not in moved and other not in found.values():
            found[target] = other
    if not found:
        return motion
    tracks: dict[Place, Track | None] = {}
    for track in motion.tracks:
        target = found.get(track.target, track.target)
        tracks[target, track.property] = replace(track, target=target)
    paths = [replace(path, target=found.get(path.target, path.target)) for path in motion.paths]
    return replace(motion, tracks=(), paths=tuple(sorted(paths, key=_target))).with_tracks(tracks)


def _target(path: MotionPath) -> str:
    return path.target
