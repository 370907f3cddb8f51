"""What a manifest says in two ways that do not agree, and where an image is not what is said of it. Each answers sentences."""

from collections.abc import Mapping

from yuplet.rehearsal.images import Decoded
from yuplet.rehearsal.package import GroupEntry, Package, PartEntry, TreeEntry


def faults_of_parts(package: Package, images: Mapping[str, Mapping[str, Decoded]]) -> tuple[list[str], list[str]]:
    """Faults of parts and of their images, and the files of parts in which nothing is seen. Images by part and file."""
    faults: list[str] = []
    empty: list[str] = []
    for part in package.parts:
        faults += [f"'{part.label}': {what}." for what in _contradictions(part, package)]
        found = images[part.id]
        if len(found) < len(part.files):
            continue  # said already: missing or unreadable
        if all(image.content is None for image in found.values()):
            empty.append(part.file)
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


def _image_faults(part: PartEntry, images: Mapping[str, Decoded]) -> list[str]:
    found: list[str] = []
    said = {part.file: part.pixels_crc32, **{frame.file: frame.pixels_crc32 for frame in part.frames}}
    for file, image in images.items():
        which = "its image" if len(images) == 1 else f"'{file}'"
        if (image.width, image.height) != (part.width, part.height):
            found.append(f"{which} is {image.width} x {image.height} px, its box {part.width} x {part.height} px")
        if said[file] is not None and image.crc32 != said[file]:
            found.append(f"{which} has other pixels than the manifest says")
    if part.said.get("exact", True) is not True:
        return found  # where its content ends is not what was written
    trim = part.said["trim"]
    tight = (trim["x"] - part.left, trim["y"] - part.top, trim["width"], trim["height"])
    lefts, tops, rights, bottoms = zip(*(image.content for image in images.values() if image.content), strict=True)
    left, top, right, bottom = min(lefts), min(tops), max(rights), max(bottoms)
    if (left, top, right - left, bottom - top) != tight:
        found.append("its image is not trimmed to its content as the manifest says")
    if part.frames and (len(part.frames) < 2 or part.frames[0].file != part.file):
        found.append("what is seen at rest is not its first frame")
    return found


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
    seen: list[tuple[str, bool]] = []

    def walk(entries: tuple[TreeEntry, ...], shown: bool) -> None:
        for entry in entries:
            if isinstance(entry, GroupEntry):
                walk(entry.members, shown and entry.shown)
            else:
                seen.append((entry.part_id, shown and entry.shown))

    walk(package.tree, True)
    if [part_id for part_id, _ in seen] != [part.id for part in sorted(package.parts, key=lambda part: part.order)]:
        faults.append("The tree and the numbers of the parts do not tell the same order.")
    if sorted(part.order for part in package.parts) != list(range(1, len(package.parts) + 1)):
        faults.append("The numbers of the parts do not run from 1 without a gap.")
    shown = dict(seen)
    for part in package.parts:
        if shown.get(part.id, part.shown) != part.shown:
            faults.append(f"'{part.label}': it is shown in one place of the manifest and hidden in another.")
    return faults
