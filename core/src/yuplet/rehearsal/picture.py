"""The picture put together again from the images of a package, and compared with its reference band by band."""

import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.errors import PackageError
from yuplet.rehearsal import blending
from yuplet.rehearsal.images import Decoded
from yuplet.rehearsal.package import Package, PartUse, Source, TreeEntry, uses

BAND = 64
Way: TypeAlias = Literal[
    "places",
    "whole canvas",
    "layers",
    "model",
    "page",
    "scene",
    "vector",
    "flip-book",
    "openexr",
    "sheet",
    "lined up",
    "names",
    "planes",
    "interface",
]
"""How a package is read: each image at the place that the manifest says, all of them at 0, 0, by a file beside them alone, where somebody lined them
up, by their names alone, as planes in depth, or as pieces of an interface."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """An image where it lies: from the left and the top of the canvas, in its pixels. `area` is that of its content, which
    it is known by when something differs. `moments` are what is seen of an animated part one after the other, each for so many milliseconds
    (None: nobody has said), played so many `loops` (0: without end).
    """

    label: str
    image: Decoded
    left: int
    top: int
    opacity: float
    blend: str
    area: tuple[int, int, int, int]
    moments: tuple[tuple[Decoded, int | None], ...] = ()
    loops: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Scene:
    """What is to be put together, however it was read: the tree, and by the ids in it what lies where; images that are missing are absent.

    It may differ from the reference by the `largest` level and on the `mean`. Where no manifest says it, a camera stands at a `distance` before the
    picture and parts at their `depths` behind it, in pixels. It is compared with so many `bits` a channel.
    """

    way: Way
    scale: float
    width: int
    height: int
    tree: tuple[TreeEntry, ...]
    placed: Mapping[str, Placed]
    ground: tuple[int, int, int] | None
    largest: float
    mean: float
    bits: int = 8
    distance: float | None = None
    depths: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Comparison:
    """A picture that was put together in one `way` at one `scale`, beside the reference picture.

    So many of its pixels were `compared` now, the others when it was proved before. Where nothing may differ, `largest` is in levels of
    colour as it is; else of colour weighted by alpha, as `mean` always is.
    `worst` is the place of the largest difference and the part that it most likely belongs to.
    """

    way: Way
    scale: float
    pixels: int
    compared: int
    differing_pixels: int
    largest: float
    mean: float
    allowed_largest: float
    allowed_mean: float
    worst: dict[str, Any] | None

    @property
    def ok(self) -> bool:
        """Whether it differs by no more than is allowed."""
        if self.allowed_largest == 0:
            return self.differing_pixels == 0
        return self.largest <= self.allowed_largest and self.mean <= self.allowed_mean


def scene_of(package: Package, way: Way, images: Mapping[str, Mapping[Source, Decoded]]) -> Scene:
    """A package as its manifest says it: images by part and where they are."""
    placed = {}
    for part in package.parts:
        image = images.get(part.id, {}).get(part.source)
        if image is not None:
            left, top = (0, 0) if way == "whole canvas" else (part.left, part.top)
            seen = part.said["trim"]
            x, y, width, height = (int(seen[side]) for side in ("x", "y", "width", "height"))
            area = (x, y, x + width, y + height)
            found = images[part.id]
            moments = tuple((found[frame.source], frame.milliseconds) for frame in part.frames if frame.source in found)
            loops = int(part.said["frames"]["loops"]) if moments else 0
            placed[part.id] = Placed(
                label=part.label, image=image, left=left, top=top, opacity=part.opacity, blend=part.blend, area=area,
                moments=moments, loops=loops,
            )  # fmt: skip
    return Scene(
        way=way,
        scale=package.scale,
        width=package.width,
        height=package.height,
        tree=package.tree,
        placed=placed,
        ground=package.ground,
        largest=package.largest,
        mean=package.mean,
        bits=package.bits,
    )


def compare(
    scene: Scene,
    reference: Decoded,
    pool: ThreadPoolExecutor,
    step: Callable[[], None],
    seen: Callable[[NDArray[np.uint8], int], None] | None = None,
) -> Comparison:
    """Put the picture together and compare; `step` is called after each of `bands_of`, and `seen` with each band as `rows_of` has it and its first row,
    from several threads.
    """
    total = _nothing_found(scene)
    lock = threading.Lock()

    def band(top: int) -> None:
        exact = _band(scene, top)
        bottom = top + len(exact)
        own = _nothing_found(scene)
        if scene.bits == 16:
            blending.count_differences_of_words(exact, reference.words(top, bottom), own)
        else:
            blending.count_differences(exact, reference.rows(top, bottom), own)
        with lock:
            _add(total[0], own[0], top)
        if seen is not None:
            seen(_rounded(exact), top)

    for _ in pool.map(band, bands_of(scene.height)):
        step()
    worst = None
    found = total[0]
    if found["differing"]:
        area = tuple(int(found[side]) for side in ("left", "top", "right", "bottom"))
        worst = {"x": int(found["x"]), "y": int(found["y"]), "part": _blamed(scene, area)}
    pixels = scene.width * scene.height
    # In levels of 255, whatever it is counted in; differences of weighted colour are in parts of a level as many as there are levels.
    most = 65535 if scene.bits == 16 else 255
    level = most / 255
    return Comparison(
        way=scene.way,
        scale=scene.scale,
        pixels=pixels,
        compared=pixels,
        differing_pixels=int(found["differing"]),
        largest=_shortest(int(found["largest"]) / level)
        if scene.largest == 0
        else round(int(found["weighted_largest"]) / most / level, 3),
        mean=round(int(found["weighted_sum"]) / most / level / (4 * pixels), 6),
        allowed_largest=scene.largest,
        allowed_mean=scene.mean,
        worst=worst,
    )


def _shortest(value: float) -> float:
    """A whole number as one."""
    return int(value) if value == int(value) else round(value, 3)


def rows_of(scene: Scene, top: int) -> NDArray[np.uint8]:
    """The band of the picture that begins at `top`, as (H, W, 4) straight RGBA, rounded as everything is that is compared."""
    return _rounded(_band(scene, top))


def _rounded(exact: blending.Floats) -> NDArray[np.uint8]:
    rows = np.empty(exact.shape, np.uint8)
    blending.round_to_bytes(exact, rows)
    return rows


def _band(scene: Scene, top: int) -> blending.Floats:
    bottom = min(top + BAND, scene.height)
    exact = _put_together(scene.tree, scene, top, bottom)
    if scene.ground is None:
        return exact
    ground = np.empty((bottom - top, scene.width, 4), np.uint8)
    ground[:] = (*scene.ground, 255)
    under = blending.premultiplied(ground, 1.0)
    blending.lay(under, exact, "normal")
    return under


def bands_of(height: int) -> range:
    """The first rows of the bands that a picture is compared in."""
    return range(0, height, BAND)


def _nothing_found(scene: Scene) -> NDArray[np.void]:
    found = np.zeros(1, blending.DIFFERENCES)
    found["left"], found["top"] = scene.width, scene.height
    return found


def _add(total: np.void, own: np.void, top: int) -> None:
    """Add what was found in a band, whose first row is `top`."""
    total["differing"] += own["differing"]
    if own["largest"] > total["largest"]:
        total["largest"], total["x"], total["y"] = own["largest"], own["x"], own["y"] + top
    if own["differing"]:
        total["left"], total["top"] = min(total["left"], own["left"]), min(total["top"], own["top"] + top)
        total["right"], total["bottom"] = max(total["right"], own["right"]), max(total["bottom"], own["bottom"] + top)
    total["weighted_sum"] += own["weighted_sum"]
    total["weighted_largest"] = max(total["weighted_largest"], own["weighted_largest"])


def _put_together(
    entries: tuple[TreeEntry, ...], scene: Scene, top: int, bottom: int, onto: blending.Floats | None = None
) -> blending.Floats:
    """Rows of the canvas with everything shown laid on them, premultiplied float64."""
    backdrop = np.zeros((bottom - top, scene.width, 4)) if onto is None else onto
    for entry in entries:
        if not entry.shown:
            continue
        if isinstance(entry, PartUse):
            placed = scene.placed.get(entry.part_id)
            if placed is not None:
                _lay_part(backdrop, placed, top, bottom, scene.bits)
        elif entry.isolated or entry.opacity < 1 or entry.blend != "normal":
            inside = _put_together(entry.members, scene, top, bottom)
            inside *= entry.opacity
            _lay(backdrop, inside, entry.blend)
        else:
            _put_together(entry.members, scene, top, bottom, backdrop)
    return backdrop


def _lay_part(backdrop: blending.Floats, part: Placed, top: int, bottom: int, bits: int) -> None:
    image, across, down = part.image, part.left, part.top
    first, last = max(top, down), min(bottom, down + image.height)
    left, right = max(0, across), min(backdrop.shape[1], across + image.width)
    if first >= last or left >= right:
        if part.blend in blending.OUTSIDE_TOO:
            backdrop[...] = 0
        return
    target = backdrop[first - top : last - top, left:right]
    if bits == 8 and (part.blend == "normal" or part.blend in blending.COMPILED):
        rows = image.rows(first - down, last - down)[:, left - across : right - across]
        if part.blend == "normal":
            blending.over_bytes(target, rows, part.opacity)
        else:
            blending.blend_bytes(target, rows, part.opacity, blending.COMPILED.index(part.blend))
        return
    read = image.words if bits == 16 else image.rows
    laid = blending.premultiplied(read(first - down, last - down)[:, left - across : right - across], part.opacity)
    if part.blend in blending.OUTSIDE_TOO:
        source = np.zeros_like(backdrop)
        source[first - top : last - top, left:right] = laid
        _lay(backdrop, source, part.blend)
        return
    _lay(target, laid, part.blend)


def _lay(backdrop: blending.Floats, source: blending.Floats, mode: str) -> None:
    try:
        blending.lay(backdrop, source, mode)
    except KeyError:
        raise PackageError(
            f"The manifest names a blend mode '{mode}' that is not in the W3C's list. Hand over again."
        ) from None


def _blamed(scene: Scene, area: tuple[int, ...]) -> str | None:
    """The shown part whose content's box is most like the differing area; in front of equals."""

    def likeness(part: Placed) -> float:
        x, y, x_end, y_end = part.area
        left, top = max(area[0], x - 1), max(area[1], y - 1)
        right, bottom = min(area[2], x_end + 1), min(area[3], y_end + 1)
        common = max(0, right - left) * max(0, bottom - top)
        whole = (x_end - x + 2) * (y_end - y + 2) + (area[2] - area[0]) * (area[3] - area[1]) - common
        return common / whole

    order = [use for use, shown in uses(scene.tree) if shown and use in scene.placed]
    best = max(enumerate(order), key=lambda one: (likeness(scene.placed[one[1]]), one[0]), default=None)
    if best is None or likeness(scene.placed[best[1]]) <= 0:
        return None
    return scene.placed[best[1]].label
