"""What to know of a hand-over before anything is written: errors stop it, warnings do not."""

import math
from collections.abc import Iterator, Mapping, Sequence

from yuplet.arrangement.tree import PartGroup, Row
from yuplet.errors import some
from yuplet.geometry import Box, Size
from yuplet.paths import path_problem
from yuplet.pixels.blending import CSS
from yuplet.plan.measuring import Measured
from yuplet.plan.naming import clashes
from yuplet.plan.planned import CREDITS, PlannedExtra, PlannedPart, PlannedScale, PlanNote
from yuplet.plan.recipe import OPAQUE, Limits, Recipe

MAX_PIXELS = 250_000_000
MAX_SIDE = 65_535
"""Of one image that is written; WebP and JPEG end before that."""
MAX_PIXELS_IN_ALL = 10_000_000_000
"""Of all images of a hand-over: a hundred of 4,096 x 4,096 at 1x and 2x fit."""

MAX_OPENEXR = 120_000_000
"""Of all parts in one OpenEXR file: about a gigabyte of memory."""


def notes_of(
    recipe: Recipe,
    canvas: Size,
    parts: Sequence[PlannedPart],
    scales: Sequence[PlannedScale],
    extras: Sequence[PlannedExtra],
    measured: Mapping[str, Measured],
    tree: Sequence[Row],
) -> list[PlanNote]:
    """All of them, errors first."""
    labels = {one.part.id: one.label for one in parts}
    found = [*_budget(scales, extras, labels)] or [
        *_unusable(scales, extras, labels),
        *_clashes(scales, extras, labels),
        *_limits(recipe.limits, scales, labels),
        *_openexr(recipe, scales),
    ]
    for one in parts:
        found += _of_part(recipe, one, canvas, measured.get(one.part.id))
    found += _not_shown(recipe, parts, tree)
    return sorted(found, key=lambda note: note.severity != "error")


def _openexr(recipe: Recipe, scales: Sequence[PlannedScale]) -> Iterator[PlanNote]:
    """The library of OpenEXR takes and gives all parts of a file at once."""
    pixels = sum(image.cut.size.pixels for image in scales[0].images.values())
    if recipe.extras.openexr and pixels > MAX_OPENEXR:
        said = (
            f"The OpenEXR file would have {pixels / 1e6:,.0f} million pixels, and is written up to {MAX_OPENEXR // 10**6} million. Choose a"
            " smaller size, or leave it out."
        )
        yield PlanNote("limit", "error", said, (), ("parts.exr",))


def _not_shown(recipe: Recipe, parts: Sequence[PlannedPart], tree: Sequence[Row]) -> Iterator[PlanNote]:
    """What the files beside the images have no place for."""
    mixing = sorted({one.label for one in parts if one.part.blend != "normal"} | set(_mixing_groups(tree)))
    moving = [one.label for one in parts if len(one.part.frames) > 1]
    yield from _beyond_css(recipe, parts, tree)
    if recipe.extras.model is not None and mixing:
        said = f"The glTF model has no blend modes: {some(mixing)} will be shown as normal, without group opacity."
        yield PlanNote("not shown", "warning", said)
    still = [
        name
        for name, wanted in (
            ("layered file", recipe.extras.layers),
            ("OpenEXR file", recipe.extras.openexr),
            ("model", recipe.extras.model),
            ("page", recipe.extras.page),
        )
        if wanted
    ]
    if moving and still:
        said = f"Of {some(moving)} the {' and the '.join(still)} show{'s' if len(still) == 1 else ''} the first frame only."
        yield PlanNote("not shown", "warning", said)
    if recipe.extras.layers and any(one.part.pivot or one.part.parent or one.part.depth for one in parts):
        said = (
            "The layered file has names, groups, order and places; pivots, parents and depths are only in the manifest."
        )
        yield PlanNote("not shown", "warning", said)


def _beyond_css(recipe: Recipe, parts: Sequence[PlannedPart], tree: Sequence[Row]) -> Iterator[PlanNote]:
    """Modes that neither a page nor an SVG has: what has one is laid there as if it had none."""
    extras = recipe.extras
    files = [name for name, wanted in (("page", extras.page), ("SVG of the picture", extras.scene)) if wanted]
    of_pieces = extras.scene or extras.vector != "none"
    lost: dict[str, tuple[str, str]] = {}
    for one in parts:
        inner = [piece.blend for piece in one.part.pieces] if of_pieces else []
        for mode in (one.part.blend, *inner):
            if mode not in CSS and (files or mode != one.part.blend):
                lost.setdefault(one.part.id, (one.label, mode))
    if files:
        lost |= {group.id: (group.name, group.blend) for group in _groups(tree) if group.blend not in CSS}
    if not lost:
        return
    where = " and the ".join(files) or "SVG of each part"
    modes = " and ".join(f"'{mode}'" for mode in sorted({mode for _, mode in lost.values()}))
    labels = some([label for label, _ in lost.values()])
    said = f"The {where} cannot show {labels} as drawn: CSS has no mode {modes}. Merge {labels} with the part behind, or leave out this extra file."
    yield PlanNote("not shown", "warning", said, tuple(lost))


def _groups(rows: Sequence[Row]) -> Iterator[PartGroup]:
    for row in rows:
        if isinstance(row, PartGroup):
            yield row
            yield from _groups(row.members)


def _mixing_groups(rows: Sequence[Row]) -> Iterator[str]:
    return (one.name for one in _groups(rows) if one.opacity < 1 or one.blend != "normal")


def _clashes(
    scales: Sequence[PlannedScale], extras: Sequence[PlannedExtra], labels: Mapping[str, str]
) -> Iterator[PlanNote]:
    # Images of one part at two scales, which have one owner, can clash all the same.
    owners = [
        (file, f"{row}\0{at.scale.label}")
        for at in scales
        for row, image in at.images.items()
        if image.is_own and image.frames[0].spot is None
        for file in image.files
    ]
    # Grids have spots, and a name of their own all the same.
    owners += [
        (sheet.file, f"{sheet.members[0].part}\0{at.scale.label}")
        for at in scales
        for sheet in at.sheets
        if sheet.kind == "grid"
    ]
    # What is named for the package belongs to no part: its own files, sheets, and what is beside the images.
    named = [CREDITS, *(one.file for one in extras)]
    for at in scales:
        packed = (sheet.file for sheet in at.sheets if sheet.kind == "packed")
        named += [at.manifest, at.reference, at.table, *packed]
    for file, pair in clashes([*((name, "") for name in named), *owners]).items():
        one, other = (owner.split("\0")[0] for owner in pair)
        if one and other:
            said = f"'{labels[one]}' and '{labels[other]}' would both be written as '{file}'."
            yield PlanNote("clash", "error", said, (one, other), (file,))
        else:
            part = one or other
            said = f"'{labels[part]}' would stand where the package has '{file}'. Choose another folder for the images."
            yield PlanNote("clash", "error", said, (part,), (file,))


def _budget(
    scales: Sequence[PlannedScale], extras: Sequence[PlannedExtra], labels: Mapping[str, str]
) -> Iterator[PlanNote]:
    """What would be too large to be made at all: one picture, or all together. Nothing else is of interest then."""
    sizes: dict[str, tuple[Size, str]] = {}
    total = 0
    for at in scales:
        sizes[at.reference] = (at.canvas, at.scale.label)
        for image in at.images.values():
            if image.is_own and image.frames[0].spot is None:
                sizes.update(dict.fromkeys(image.files, (image.box.size, at.scale.label)))
        sizes.update({sheet.file: (sheet.size, at.scale.label) for sheet in at.sheets})
        total += sum(len(sheet.members) * sheet.size.pixels for sheet in at.sheets if sheet.kind == "animation")
    for one in extras:
        if one.size is not None:
            sizes[one.file] = (one.size, scales[0].scale.label)
            total += one.size.pixels * max(0, len(one.frames) - 1)
    for file, (size, label) in sizes.items():
        if size.pixels > MAX_PIXELS or max(size) > MAX_SIDE:
            said = (
                f"'{file}' would be {size.width:,} × {size.height:,} px at {label}; Yuplet writes images of up to"
                f" {MAX_PIXELS // 1_000_000} million pixels and {MAX_SIDE:,} px a side. Use a smaller scale."
            )
            yield PlanNote("budget", "error", said, (), (file,))
            return
    total += sum(size.pixels for size, _ in sizes.values())
    if total > MAX_PIXELS_IN_ALL:
        said = (
            f"All images together would have {total // 1_000_000:,} million pixels; Yuplet writes up to"
            f" {MAX_PIXELS_IN_ALL // 1_000_000:,} million in one hand-over. Use smaller or fewer scales."
        )
        yield PlanNote("budget", "error", said)


def _unusable(
    scales: Sequence[PlannedScale], extras: Sequence[PlannedExtra], labels: Mapping[str, str]
) -> Iterator[PlanNote]:
    """Paths that cannot be stored: names are made usable before, so what is left is mostly too long."""
    owners = {file: row for at in scales for row, image in at.images.items() for file in image.files}
    owners |= {sheet.file: sheet.members[0].part for at in scales for sheet in at.sheets}
    owners |= {sheet.table: sheet.members[0].part for at in scales for sheet in at.sheets if sheet.table}
    for file in (*owners, *(one.file for one in extras)):
        wrong = path_problem(file)
        if wrong is not None:
            row = owners.get(file)
            whose = "A file" if row is None else f"The file of '{labels[row]}'"
            said = f"{whose} cannot be stored: its path {wrong}. Use shorter names, or fewer folders."
            yield PlanNote("path", "error", said, () if row is None else (row,), (file,))


def _of_part(recipe: Recipe, one: PlannedPart, canvas: Size, known: Measured | None) -> Iterator[PlanNote]:
    row, images = (one.part.id,), one.images
    if images.format in OPAQUE and (known is None or not known.opaque):
        # At the very back, on the ground of the reference, nobody sees it.
        is_right = one.order == 1 and recipe.reference_ground == images.ground
        said = f"'{one.label}' has transparency, and {images.format.upper()} has none: the background colour will show."
        if is_right:
            yield PlanNote("transparent", "warning", said, row)
        else:
            yield PlanNote("transparent", "error", f"{said} Choose PNG, WebP or AVIF for it.", row)
    if images.moving == "gif" and len(one.part.frames) > 1 and images.stored == "files":
        said = f"'{one.label}' as GIF has 256 colours a frame, and each pixel is either seen or not."
        yield PlanNote("few colours", "warning", said, row)
    if images.extent == "canvas" and one.box.meet(Box(0, 0, *canvas)) != one.box:
        said = f"'{one.label}' extends beyond the canvas and will be cut at the edge. Set the image area to Shared box to keep everything."
        yield PlanNote("beyond", "warning", said, row)


def _limits(limits: Limits, scales: Sequence[PlannedScale], labels: Mapping[str, str]) -> Iterator[PlanNote]:
    files: set[str] = set()
    for at in scales:
        for sheet in at.sheets:
            if limits.longest is not None and max(sheet.size) > limits.longest:
                said = f"'{sheet.file}' is {sheet.size.width} × {sheet.size.height} px; the target program allows up to {limits.longest} px. Use a smaller sheet side."
                yield PlanNote("limit", "error", said, (), (sheet.file,))
        for row, image in at.images.items():
            files.update(image.files)
            longest = max(image.box.size)
            if limits.longest is not None and longest > limits.longest and image.frames[0].spot is None:
                fits = math.floor(1000 * limits.longest / longest * at.factor) / 1000
                said = (
                    f"'{labels[row]}' is {image.box.width} × {image.box.height} px at {at.scale.label}; the target program allows"
                    f" up to {limits.longest} px. It would fit at scale {fits:.3f}."
                )
                yield PlanNote("limit", "error", said, (row,), image.files, fits)
    if limits.count is not None and len(files) > limits.count:
        said = f"There are {len(files):,} images; the target program allows up to {limits.count:,}. Pack on sheets to have fewer."
        yield PlanNote("limit", "error", said)
