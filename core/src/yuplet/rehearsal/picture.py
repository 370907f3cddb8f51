"""The picture put together again from the images of a package, and compared with its reference band by band."""

import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any, Literal, TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.errors import PackageError
from yuplet.rehearsal import blending
from yuplet.rehearsal.images import Decoded
from yuplet.rehearsal.package import Package, PartUse, Source, TreeEntry, uses

BAND = 64
Way: TypeAlias = Literal["places", "whole canvas", "layers", "model", "page", "scene", "vector", "flip-book"]
"""How a package is read: each image at the place that the manifest says, all of them at 0, 0, or by a file beside them alone."""


@dataclass(frozen=True, slots=True)
class Placed:
    """An image where it lies: from the left and the top of the canvas, in its pixels. `area` is that of its content, which
    it is known by when something differs.
    """

    label: str
    image: Decoded
    left: int
    top: int
    opacity: float
    blend: str
    area: tuple[int, int, int, int]


@dataclass(frozen=True, slots=True)
class Scene:
    """What is to be put together, however it was read: the tree, and by the ids in it what lies where; images that are missing are absent.

    It may differ from the reference by the `largest` level and on the `mean`.
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


@dataclass(frozen=True, slots=True)
class Comparison:
    """A picture that was put together in one `way` at one `scale`, beside the reference picture.

    Where nothing may differ, `largest` is in levels of colour as it is; else of colour weighted by alpha, as `mean` always is.
    `worst` is the place of the largest difference and the part that it most likely belongs to.
    """

    way: Way
    scale: float
    pixels: int
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
        image = images[part.id].get(part.source)
        if image is not None:
            left, top = (0, 0) if way == "whole canvas" else (part.left, part.top)
            seen = part.said["trim"]
            x, y, width, height = (int(seen[side]) for side in ("x", "y", "width", "height"))
            area = (x, y, x + width, y + height)
            placed[part.id] = Placed(part.label, image, left, top, part.opacity, part.blend, area)
    return Scene(
        way,
        package.scale,
        package.width,
        package.height,
        package.tree,
        placed,
        package.ground,
        package.largest,
        package.mean,
    )


def compare(scene: Scene, reference: Decoded, pool: ThreadPoolExecutor, step: Callable[[], None]) -> Comparison:
    """Put the picture together and compare; `step` is called after each of `bands_of`."""
    total = _nothing_found(scene)
    lock = threading.Lock()

    def band(top: int) -> None:
        bottom = min(top + BAND, scene.height)
        exact = _put_together(scene.tree, scene, top, bottom)
        if scene.ground is not None:
            ground = np.empty((bottom - top, scene.width, 4), np.uint8)
            ground[:] = (*scene.ground, 255)
            under = blending.premultiplied(ground, 1.0)
            blending.lay(under, exact, "normal")
            exact = under
        own = _nothing_found(scene)
        blending.count_differences(exact, reference.rows(top, bottom), own)
        with lock:
            total[0] += own[0]
            if own[1] > total[1]:
                total[1:4] = own[1], own[2], own[3] + top
            if own[0]:
                total[4:6] = np.minimum(total[4:6], (own[4], own[5] + top))
                total[6:8] = np.maximum(total[6:8], (own[6], own[7] + top))
            total[8] += own[8]
            total[9] = max(total[9], own[9])

    for _ in pool.map(band, bands_of(scene.height)):
        step()
    worst = None
    if total[0]:
        area = tuple(int(value) for value in total[4:8])
        worst = {"x": int(total[2]), "y": int(total[3]), "part": _blamed(scene, area)}
    pixels = scene.width * scene.height
    return Comparison(
        scene.way,
        scene.scale,
        pixels,
        int(total[0]),
        int(total[1]) if scene.largest == 0 else round(int(total[9]) / 255, 3),
        round(int(total[8]) / 255 / (4 * pixels), 6),
        scene.largest,
        scene.mean,
        worst,
    )


def bands_of(height: int) -> range:
    """The first rows of the bands that a picture is compared in."""
    return range(0, height, BAND)


def _nothing_found(scene: Scene) -> NDArray[np.int64]:
    return np.array([0, 0, 0, 0, scene.width, scene.height, 0, 0, 0, 0], np.int64)


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
                _lay_part(backdrop, placed, top, bottom)
        elif entry.isolated or entry.opacity < 1 or entry.blend != "normal":
            inside = _put_together(entry.members, scene, top, bottom)
            inside *= entry.opacity
            _lay(backdrop, inside, entry.blend)
        else:
            _put_together(entry.members, scene, top, bottom, backdrop)
    return backdrop


def _lay_part(backdrop: blending.Floats, part: Placed, top: int, bottom: int) -> None:
    image, across, down = part.image, part.left, part.top
    first, last = max(top, down), min(bottom, down + image.height)
    left, right = max(0, across), min(backdrop.shape[1], across + image.width)
    if first >= last or left >= right:
        if part.blend in blending.OUTSIDE_TOO:
            backdrop[...] = 0
        return
    rows = image.rows(first - down, last - down)[:, left - across : right - across]
    if part.blend == "normal":
        blending.over_bytes(backdrop[first - top : last - top, left:right], rows, part.opacity)
        return
    if part.blend in blending.OUTSIDE_TOO:
        source = np.zeros_like(backdrop)
        source[first - top : last - top, left:right] = blending.premultiplied(rows, part.opacity)
        _lay(backdrop, source, part.blend)
        return
    _lay(backdrop[first - top : last - top, left:right], blending.premultiplied(rows, part.opacity), part.blend)


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
