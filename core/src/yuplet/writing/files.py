"""Each picture of a plan as a file: for the package, and alone for whoever looks at the plan."""

from collections.abc import Iterator
from dataclasses import replace
from pathlib import PurePath

from yuplet.pixels import AnyPicture, rounded
from yuplet.plan.planned import Plan, PlannedExtra, PlannedPart, PlannedScale, PlannedSheet
from yuplet.writing import extras, images, incremental_reference, sheets
from yuplet.writing.pictures import Sources, written_deep, written_picture

WHOLE = ("combination", "flip-book")
"""Files beside the images that are pictures of the whole canvas."""
_SEEN = {
    ".png": "image/png",
    ".tif": "image/png",
    ".webp": "image/webp",
    ".avif": "image/avif",
    ".jpg": "image/jpeg",
    ".gif": "image/gif",
    ".svg": "image/svg+xml",
}
"""Media types of what a browser shows, by the endings of files."""


def image(plan: Plan, at: PlannedScale, planned: PlannedPart, frame: int, sources: Sources) -> tuple[AnyPicture, bytes]:
    """One frame of a part that is in a file of its own: its pixels and the file."""
    draw = written_deep if plan.is_deep else written_picture
    picture = draw(plan, at, planned, frame, sources)
    return picture, images.encode(picture, planned.images, plan.ppi_at(at))


def sheet(plan: Plan, at: PlannedScale, one: PlannedSheet, sources: Sources) -> tuple[list[AnyPicture], bytes]:
    """A sheet or an animation: the pixels of its members and the file."""
    parts = {planned.part.id: planned for planned in plan.parts}
    draw = written_deep if plan.is_deep else written_picture
    pictures = [draw(plan, at, parts[member.part], member.index, sources) for member in one.members]
    return pictures, sheets.encoded(one, pictures, plan.recipe.sheets.repeat_edge, plan.ppi_at(at))


def moving(plan: Plan, one: PlannedExtra, sources: Sources, workers: int) -> bytes:
    """All moments of the whole picture as one animated image."""
    if plan.is_deep:
        # As the reference would be, rounded to what animated images have.
        deep = (incremental_reference.composed_deep(plan, plan.main, tree, sources, workers) for tree in one.frames)
        pictures = [rounded(picture) for picture in deep]
    else:
        pictures = [incremental_reference.composed(plan, plan.main, tree, sources, workers) for tree in one.frames]
    wanted = plan.recipe.extras.flip_book
    assert wanted != "none"
    return sheets.animated(pictures, one.milliseconds, 0, wanted, plan.recipe.images)


def alone(plan: Plan, name: str, sources: Sources, workers: int = 2) -> tuple[bytes, str] | None:
    """One file of a plan exactly as it will be written, and its media type; None where that is no picture, or where there is no such file.

    TIFF, which browsers do not show, comes as a PNG of the same pixels.
    """
    kind = _SEEN.get(PurePath(name).suffix)
    found = None if kind is None else next(_found(plan, name, sources, workers), None)
    return None if found is None or kind is None else (found, kind)


def _found(plan: Plan, name: str, sources: Sources, workers: int) -> Iterator[bytes]:
    for at in plan.scales:
        if name == at.reference:
            yield incremental_reference.written(plan, at, plan.tree, sources, workers).data
        for one in at.sheets:
            if name == one.file:
                yield sheet(plan, at, replace(one, images=images.shown(one.images)), sources)[1]
        for planned in plan.parts:
            own = at.images[planned.part.id]
            for index, frame in enumerate(own.frames):
                if own.is_own and frame.id == name:
                    yield image(plan, at, replace(planned, images=images.shown(planned.images)), index, sources)[1]
    for other in plan.extras:
        if name == other.file:
            if other.kind not in WHOLE:
                yield extras.made(plan, other, sources)
            elif other.frames:
                yield moving(plan, other, sources, workers)
            else:
                yield incremental_reference.written(plan, plan.main, other.tree, sources, workers).data
