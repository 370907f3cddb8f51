"""How pictures are kept together: grids of equal cells, packed sheets, animated images; equal pictures are stored once."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any, NamedTuple

from yuplet.errors import PartTooLarge
from yuplet.geometry import Size
from yuplet.parts.part import Frame
from yuplet.plan.measuring import Measured
from yuplet.plan.packing import pack_pages
from yuplet.plan.planned import Member, PlannedFrame, PlannedImage, PlannedPart, PlannedSheet, Spot
from yuplet.plan.recipe import ENDINGS, Images, Sheets

STILL = 100
"""Milliseconds of a moment of an animated image of which nobody has said how long it is seen (common practice, no published source)."""
ANIMATED: Mapping[str, str] = {"apng": ".png", "webp": ".webp", "gif": ".gif"}


def stored(
    sheets: Sheets,
    parts: Sequence[PlannedPart],
    images: Mapping[str, PlannedImage],
    stems: Mapping[str, str],
    folder: str,
    measured: Mapping[str, Measured],
) -> tuple[dict[str, PlannedImage], tuple[PlannedSheet, ...]]:
    """Put the images of one scale where the recipe wants them; answers all images, and the sheets.

    `stems` are the paths of each part's file without ending, `folder` is where packed sheets go.
    """
    found = dict(images)
    made: list[PlannedSheet] = []
    packed: list[tuple[PlannedPart, PlannedImage]] = []
    for one in parts:
        image = images[one.part.id]
        if not image.is_own:
            continue
        known = measured.get(one.part.id)
        is_moving = len(image.frames) > 1
        if one.images.stored == "sheets":
            packed.append((one, image))
        elif is_moving and one.images.moving == "grid":
            found[one.part.id], sheet = _grid(
                sheets, one, image, stems[one.part.id], _distinct(image, known, one.images)
            )
            made.append(sheet)
        elif is_moving and one.images.moving in ANIMATED:
            found[one.part.id], sheet = _animation(one, image, stems[one.part.id], _distinct(image, known, one.images))
            made.append(sheet)
        elif is_moving and one.images.moving == "files":
            found[one.part.id] = _once(image, _distinct(image, known, one.images))
    made += _packed(sheets, packed, folder, measured, found)
    # What is the same drawing as another part goes where that went.
    moved = {image.frames[0].id: found[row] for row, image in images.items() if image.is_own}
    for row, image in images.items():
        if not image.is_own:
            found[row] = replace(image, frames=moved[image.frames[0].id].frames)
    return found, tuple(made)


def digest(value: Any) -> str:
    """What tells a description, in plain JSON values, from all others."""
    return hashlib.sha256(json.dumps(value).encode()).hexdigest()[:32]


class _Distinct(NamedTuple):
    """The first of each picture among frames, and which of them each frame is."""

    first: list[int]
    which: list[int]


def _distinct(image: PlannedImage, known: Measured | None, images: Images) -> _Distinct:
    # Where colour that nobody sees is kept, frames that look alike may differ in it.
    if known is not None and known.frames and images.under != "keep":
        names: Sequence[str] = known.frames
    else:
        names = [frame.key or str(index) for index, frame in enumerate(image.frames)]
    first: list[int] = []
    which: list[int] = []
    seen: dict[str, int] = {}
    for index, name in enumerate(names):
        if name not in seen:
            seen[name] = len(first)
            first.append(index)
        which.append(seen[name])
    return _Distinct(first, which)


def _once(image: PlannedImage, distinct: _Distinct) -> PlannedImage:
    """Numbered files of which each picture has one: the frames, one after the other, say when which is seen."""
    files = [
        PlannedFrame(at.file, image.frames[index].key) for at, index in zip(image.frames, distinct.first, strict=False)
    ]
    return replace(image, frames=tuple(files[at] for at in distinct.which))


def _grid(
    sheets: Sheets, one: PlannedPart, image: PlannedImage, stem: str, distinct: _Distinct
) -> tuple[PlannedImage, PlannedSheet]:
    cell, edge = image.box.size, sheets.repeat_edge
    step = Size(cell.width + 2 * edge + sheets.spacing, cell.height + 2 * edge + sheets.spacing)
    columns = min(sheets.columns or _best_columns(len(distinct.first), step), len(distinct.first))
    rows = -(-len(distinct.first) // columns)
    size = Size(columns * step.width - sheets.spacing, rows * step.height - sheets.spacing)
    if max(size) > sheets.longest:
        raise PartTooLarge(size.width, size.height, sheets.longest)
    file = _plain(stem) + one.images.ending
    spots = [
        Spot(at % columns * step.width + edge, at // columns * step.height + edge) for at in range(len(distinct.first))
    ]
    frames = [
        PlannedFrame(file, image.frames[index].key, spot) for index, spot in zip(distinct.first, spots, strict=True)
    ]
    members = tuple(Member(one.part.id, index, frame) for index, frame in zip(distinct.first, frames, strict=True))
    key = _key_of(members, size, one.images, sheets)
    sheet = PlannedSheet(
        file=file,
        table=_plain(stem) + ".json",
        kind="grid",
        size=size,
        members=members,
        images=one.images,
        key=key,
        columns=columns,
    )
    return replace(image, frames=tuple(frames[at] for at in distinct.which)), sheet


def _best_columns(count: int, step: Size) -> int:
    """How many columns make a grid nearly square, the wider of equals; no cell more than needed is empty."""

    def unlike(columns: int) -> tuple[float, int]:
        width, height = columns * step.width, -(-count // columns) * step.height
        return max(width / height, height / width), -columns

    return min(range(1, count + 1), key=unlike)


def _animation(
    one: PlannedPart, image: PlannedImage, stem: str, distinct: _Distinct
) -> tuple[PlannedImage, PlannedSheet]:
    """Equal neighbours are one moment, for animated formats join them anyway."""
    file = _plain(stem) + ANIMATED[one.images.moving]
    starts = [at for at, which in enumerate(distinct.which) if at == 0 or which != distinct.which[at - 1]]
    moments = [sum(start <= at for start in starts) - 1 for at in range(len(image.frames))]
    seen = [0] * len(starts)
    for at, frame in enumerate(one.part.frames):
        seen[moments[at]] += milliseconds_of(frame)
    frames = [PlannedFrame(file, image.frames[at].key, None, number) for number, at in enumerate(starts)]
    members = tuple(Member(one.part.id, at, frame) for at, frame in zip(starts, frames, strict=True))
    key = _key_of(members, image.box.size, one.images, [seen, one.part.loops])
    sheet = PlannedSheet(
        file=file,
        table="",
        kind="animation",
        size=image.box.size,
        members=members,
        images=one.images,
        key=key,
        columns=0,
        milliseconds=tuple(seen),
        loops=one.part.loops,
    )
    return replace(image, frames=tuple(frames[moment] for moment in moments)), sheet


def milliseconds_of(frame: Frame) -> int:
    """How long a frame is seen, where somebody has said; else as long as `STILL`."""
    return STILL if frame.milliseconds is None else frame.milliseconds


def _packed(
    sheets: Sheets,
    waiting: Sequence[tuple[PlannedPart, PlannedImage]],
    folder: str,
    measured: Mapping[str, Measured],
    found: dict[str, PlannedImage],
) -> list[PlannedSheet]:
    """Pack what is written in the same way together; `found` gets the images with their places."""
    kinds: dict[Images, list[tuple[PlannedPart, PlannedImage]]] = {}
    for one, image in waiting:
        way = replace(one.images, extent="trimmed", margin=0, sides="any", threshold=0, moving="files")
        kinds.setdefault(way, []).append((one, image))
    made: list[PlannedSheet] = []
    # The first kind has plain numbers, others their format before it; a second kind of that format says which kind it is.
    taken: set[str] = set()
    for number, (way, together) in enumerate(kinds.items()):
        pictures: list[tuple[str, int, PlannedFrame, Size]] = []
        places: dict[str, list[int]] = {}
        for one, image in together:
            distinct = _distinct(image, measured.get(one.part.id), one.images)
            places[one.part.id] = [len(pictures) + which for which in distinct.which]
            pictures += [(one.part.id, index, image.frames[index], image.box.size) for index in distinct.first]
        pages, spots = laid_on_pages(sheets, [size for *_, size in pictures])
        prefix = f"{way.format}-" if number else ""
        if prefix in taken:
            prefix += f"{number + 1}-"
        taken.add(prefix)
        name = f"{folder}/{prefix}"
        frames = [
            PlannedFrame(f"{name}{spot[0] + 1}{ENDINGS[way.format]}", frame.key, spot[1])
            for (_, _, frame, _), spot in zip(pictures, spots, strict=True)
        ]
        for page, size in enumerate(pages):
            members = tuple(
                Member(row, index, frame)
                for (row, index, _, _), frame, spot in zip(pictures, frames, spots, strict=True)
                if spot[0] == page
            )
            key = _key_of(members, size, way, sheets)
            file = f"{name}{page + 1}"
            made.append(
                PlannedSheet(
                    file=file + ENDINGS[way.format],
                    table=f"{file}.json",
                    kind="packed",
                    size=size,
                    members=members,
                    images=way,
                    key=key,
                )
            )
        for one, image in together:
            found[one.part.id] = replace(image, frames=tuple(frames[at] for at in places[one.part.id]))
    return made


def longest_on_a_page(sheets: Sheets) -> int:
    """How long the sides of a picture may be that is to lie on a packed sheet, in pixels.

    >>> longest_on_a_page(Sheets(longest=100, repeat_edge=2, spacing=1)), longest_on_a_page(Sheets(longest=100, power_of_two=True))
    (96, 64)
    """
    longest = 1 << (sheets.longest.bit_length() - 1) if sheets.power_of_two else sheets.longest + sheets.spacing
    return longest - 2 * sheets.repeat_edge - sheets.spacing


def laid_on_pages(sheets: Sheets, sizes: Sequence[Size]) -> tuple[list[Size], list[tuple[int, Spot]]]:
    """Pages, and the page and the spot of each picture: with the edge that is repeated around it and room between."""
    edge, gap = sheets.repeat_edge, sheets.spacing
    around = 2 * edge + gap
    grown = [Size(size.width + around, size.height + around) for size in sizes]
    # The last column and row need no room after them.
    if sheets.power_of_two:
        pages, placed = pack_pages(grown, sheets.longest, True, sheets.square, sheets.turn)
    else:
        pages, placed = pack_pages(grown, sheets.longest + gap, False, sheets.square, sheets.turn)
        pages = [Size(page.width - gap, page.height - gap) for page in pages]
    return pages, [(place.page, Spot(place.x + edge, place.y + edge, place.turned)) for place in placed]


def _key_of(members: Sequence[Member], size: Size, images: Images, rest: Any) -> str:
    keys = [member.frame.key for member in members]
    if not all(keys):
        return ""
    way = {
        name: value
        for name, value in asdict(images).items()
        if name in ("format", "effort", "lossless", "quality", "ground", "moving")
    }
    if images.bits != 8:
        way["bits"] = images.bits
    said = asdict(rest) if isinstance(rest, Sheets) else rest
    if isinstance(rest, Sheets):
        # Says nothing of the sheets of one package.
        del said["shared"]
    return digest([keys, [member.frame.spot for member in members], size, way, said])


def _plain(stem: str) -> str:
    """A stem without the place of a frame's number."""
    bare = stem.replace("{frame}", "").rstrip(" _-.")
    return bare if bare and not bare.endswith("/") else stem.replace("{frame}", "frames")
