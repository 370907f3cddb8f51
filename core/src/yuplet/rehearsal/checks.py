"""What a manifest says in two ways that do not agree, and where an image is not what is said of it. Each answers sentences."""

import json
from collections.abc import Mapping
from pathlib import Path

from yuplet.rehearsal.images import Decoded
from yuplet.rehearsal.package import Package, PartEntry, SheetEntry, Source, Within, uses


def faults_of_parts(package: Package, images: Mapping[str, Mapping[Source, Decoded]]) -> tuple[list[str], list[str]]:
    """Faults of parts and of their images, and the files of parts in which nothing is seen. Images by part and where they are."""
    faults: list[str] = []
    empty: list[str] = []
    for part in package.parts:
        faults += [f"'{part.label}': {what}." for what in _contradictions(part, package)]
        found = images.get(part.id, {})
        if len(found) < len(part.sources):
            continue  # not looked at, or said already: missing or unreadable
        if all(image.content is None for image in found.values()):
            empty.append(part.source.file)
            continue
        faults += [f"'{part.label}': {what}." for what in _image_faults(part, found)]
    counts = {
        "parts": len(package.parts),
        "shown": sum(part.shown for part in package.parts),
        "hidden": sum(not part.shown for part in package.parts),
        "files": len(package.expected),
    }
    for name, number in counts.items():
        if package.counts.get(name) != number:
            faults.append(f"The manifest counts {package.counts.get(name)} {name}, but lists {number}.")
    return faults, empty


def _contradictions(part: PartEntry, package: Package) -> list[str]:
    """What the manifest says of a part's place in two ways that do not agree."""
    found: list[str] = []
    said = part.said
    middle_x, middle_y = part.left + part.width / 2, part.top + part.height / 2
    is_within = said.get("beyond") is not True
    if part.width < 1 or part.height < 1 or (is_within and (part.left < 0 or part.top < 0)):
        found.append("its box is empty or begins outside of the canvas")
    if is_within and (part.left + part.width > package.width or part.top + part.height > package.height):
        found.append("its box ends outside of the canvas")
    if said["centre"]["y_down"] != [middle_x, middle_y]:
        found.append("its centre is not the middle of its box")
    if said["centre"]["y_up"] != [middle_x, package.height - middle_y]:
        found.append("its centre counted upwards does not agree with its box")
    enlarged = said.get("depth", {}).get("scale")
    if package.camera is not None and enlarged is not None:
        distance = package.camera[0]
        if _apart([enlarged], ((distance + part.depth) / distance,)):
            found.append("how much it is enlarged does not agree with its depth")
    pivot = said["pivot"]
    if pivot is not None:
        x, y = pivot["canvas"]
        if _apart(pivot["box"], (x - part.left, y - part.top)):
            found.append("its pivot relative to the box does not agree with the one on the canvas")
        elif _apart(pivot["fraction"], ((x - part.left) / part.width, (y - part.top) / part.height)):
            found.append("its pivot as fractions does not agree with the one on the canvas")
    return found


def _apart(said: list[float], wanted: tuple[float, ...]) -> bool:
    return len(said) != len(wanted) or any(abs(a - b) > 1e-6 for a, b in zip(said, wanted, strict=True))


def _image_faults(part: PartEntry, images: Mapping[Source, Decoded]) -> list[str]:
    found: list[str] = []
    said = {part.source: part.pixels_crc32, **{frame.source: frame.pixels_crc32 for frame in part.frames}}
    for source, image in images.items():
        which = "its image" if len(images) == 1 else f"'{_named(source)}'"
        if (image.width, image.height) != (part.width, part.height):
            found.append(f"{which} is {image.width} x {image.height} px, its box {part.width} x {part.height} px")
        if said[source] is not None and image.crc32 != said[source]:
            found.append(f"{which} has other pixels than the manifest says")
    if part.said.get("exact", True) is not True:
        return found  # where its content ends is not what was written
    trim = part.said["trim"]
    tight = (trim["x"] - part.left, trim["y"] - part.top, trim["width"], trim["height"])
    lefts, tops, rights, bottoms = zip(*(image.content for image in images.values() if image.content), strict=True)
    left, top, right, bottom = min(lefts), min(tops), max(rights), max(bottoms)
    if (left, top, right - left, bottom - top) != tight:
        found.append("its image is not trimmed to its content as the manifest says")
    if part.frames and (len(part.frames) < 2 or part.frames[0].source != part.source):
        found.append("what is seen at rest is not its first frame")
    return found


def _named(source: Source) -> str:
    if source.within is not None:
        return f"{source.file}, at {source.within.x}, {source.within.y}"
    return source.file if source.moment is None else f"{source.file}, moment {source.moment + 1}"


def faults_of_sheets(package: Package, paths: Mapping[str, Path]) -> list[str]:
    """The table beside a sheet must tell the same places as the manifest, and pictures must not lie over each other or outside."""
    faults: list[str] = []
    on: dict[str, set[Within]] = {}
    for part in package.parts:
        for source in part.sources:
            if source.within is not None:
                on.setdefault(source.file, set()).add(source.within)
    for sheet in package.sheets:
        places = sorted(on.get(sheet.file, set()))
        if sheet.kind != "animation" and len(places) != sheet.pictures:
            faults.append(f"'{sheet.file}' has {len(places)} pictures and should have {sheet.pictures}.")
        boxes = [stored_box(place) for place in places]
        if any(right > sheet.width or bottom > sheet.height for _, _, right, bottom in boxes):
            faults.append(f"A picture on '{sheet.file}' ends outside of it.")
        if any_overlap(sorted(boxes)):
            faults.append(f"Pictures on '{sheet.file}' lie over each other.")
        path = paths.get(sheet.table or "")
        if path is not None:
            faults += _table_faults(sheet, path, places)
    return faults


def _table_faults(sheet: SheetEntry, path: Path, places: list[Within]) -> list[str]:
    try:
        value = json.loads(path.read_bytes())
        told = [
            Within(one["x"], one["y"], one["width"], one["height"], bool(one["turned"])) for one in value["pictures"]
        ]
        size = (value["width"], value["height"], value["image"])
        played = [frame["picture"] for part in value["play"] for frame in part["frames"]]
    except (OSError, ValueError, KeyError, TypeError):
        return [f"'{sheet.table}' cannot be read."]
    if sorted(told) != places or size != (sheet.width, sheet.height, sheet.file):
        return [f"'{sheet.table}' does not tell the places that the manifest tells."]
    if not all(0 <= index < len(told) for index in played):
        return [f"'{sheet.table}' plays a picture that is not there."]
    return []


def stored_box(place: Within) -> tuple[int, int, int, int]:
    """Where a picture lies on its sheet: left, top, right, bottom."""
    width, height = (place.height, place.width) if place.turned else (place.width, place.height)
    return place.x, place.y, place.x + width, place.y + height


def any_overlap(boxes: list[tuple[int, int, int, int]]) -> bool:
    """Whether any two of them do; they begin from left to right, so that those that begin after one's end need no look."""
    for at, one in enumerate(boxes):
        for other in boxes[at + 1 :]:
            if other[0] >= one[2]:
                break
            if one[1] < other[3] and other[1] < one[3]:
                return True
    return False


def faults_of_joints(package: Package) -> list[str]:
    """Every parent must be in the package, nothing may carry itself, and fractions must agree with the boxes."""
    faults: list[str] = []
    by_id = {part.id: part for part in package.parts}
    parents: dict[str, str] = {}
    for part in package.parts:
        parent = part.said.get("parent")
        if parent is not None and parent not in by_id:
            faults.append(f"'{part.label}': it is carried by a part that is not in the package.")
        elif parent is not None:
            parents[part.id] = parent
        fractions = part.said.get("fractions")
        if fractions is None:
            continue  # a package of an older version
        whole = (0, 0, package.width, package.height)
        carrier = by_id.get(parents.get(part.id, ""))
        frames = [("canvas", whole)]
        if carrier is not None:
            frames.append(("parent", (carrier.left, carrier.top, carrier.width, carrier.height)))
        for name, (left, top, width, height) in frames:
            said = fractions[name] or {}
            wanted = ((part.left - left) / width, (part.top - top) / height, part.width / width, part.height / height)
            if _apart([said.get(side, -1.0) for side in ("x", "y", "width", "height")], wanted):
                faults.append(f"'{part.label}': its fractions of the {name} do not agree with its box.")
    for part in package.parts:
        at: str | None = parents.get(part.id)
        for _ in parents:
            if at is None or at == part.id:
                break
            at = parents.get(at)
        if at == part.id:
            faults.append(f"'{part.label}': it is carried by itself, over others.")
    return faults


def faults_of_order(package: Package) -> list[str]:
    """The tree must name every part once, and agree with the numbers and the shown parts."""
    faults: list[str] = []
    seen = uses(package.tree)
    if [part_id for part_id, _ in seen] != [part.id for part in sorted(package.parts, key=lambda part: part.order)]:
        faults.append("The tree and the numbers of the parts do not tell the same order.")
    if sorted(part.order for part in package.parts) != list(range(1, len(package.parts) + 1)):
        faults.append("The numbers of the parts do not run from 1 without a gap.")
    shown = dict(seen)
    for part in package.parts:
        if shown.get(part.id, part.shown) != part.shown:
            faults.append(f"'{part.label}': it is shown in one place of the manifest and hidden in another.")
    return faults
