"""Where a loose image belongs on a reference picture: the place where its opaque pixels differ least.

Source: template matching by the sum of squared differences under a mask (OpenCV, `matchTemplate` with TM_SQDIFF), at a small
size first (a pyramid as in P. J. Burt, "Fast filter transforms for image processing", Computer Graphics and Image Processing
16, 1981), for the whole image and for its quarters, since some of it may be covered. Around the best few places of that, at
full size, by absolute differences that count for no more than a limit, so that what is covered weighs little (a truncated
norm as in P. J. Huber, "Robust Statistics", 1981).
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

Picture: TypeAlias = NDArray[np.uint8]
"""(H, W, 4) straight RGBA."""

SCALES = (1.0, 1 / 2, 1 / 3, 1 / 4, 2.0, 3.0, 4.0)
"""Whole scales that an image may have beside the reference."""
_COARSE = 384
"""Pixels of the longer side of the reference at which is looked first."""
_SCREEN = 160
"""The same for many ways in which an image may lie."""
_CANDIDATES = 3
_SAMPLES = 4_000
_FEW_SAMPLES = 800
_LIMIT = 40
"""Levels of 255 beyond which a difference counts no more."""
_OPAQUE = 250
_SAME = 8
"""Levels of 255 by which a pixel may differ and still count as the same."""
_GOOD = 0.9
"""A share of agreeing pixels from which on nobody looks further."""
_RIVAL = 0.02
"""By how much the share of another place may be lower so that nobody can say which one is meant."""
_APART = 3
"""Pixels from which on two places are not the same."""
_SCREENED = 4


@dataclass(frozen=True, slots=True)
class Found:
    """A proposed place: the top left corner, and the share of the image's opaque pixels that agree there (0 to 1).

    It is not `unique` where another place agrees as well, so that nobody can say which one is meant.
    """

    x: int
    y: int
    share: float
    unique: bool = True


@dataclass(frozen=True, slots=True)
class Match:
    """How an image lies on a reference: mirrored left to right, if at all, then turned clockwise by `quarters`, then `scale` times as
    large, with its top left corner at a place."""

    place: Found
    mirrored: bool = False
    quarters: int = 0
    scale: float = 1.0


def find_place(image: Picture, reference: Picture) -> Found | None:
    """Propose where an image lies on a reference.

    Parameters
    ----------
    image : (h, w, 4) uint8
        Trimmed, straight RGBA; only pixels that are nearly opaque are compared.
    reference : (H, W, 4) uint8
        The whole picture.

    Returns
    -------
    Found or None
        None when the image is larger than the reference or has no opaque pixel.
    """
    (height, width), (tall, wide) = image.shape[:2], reference.shape[:2]
    mask: NDArray[np.bool_] = np.asarray(image[..., 3] >= _OPAQUE)
    if height > tall or width > wide or not mask.any():
        return None
    factor = max(1.0, max(tall, wide) / _COARSE)
    candidates = {(0, 0)}
    if (height, width) != (tall, wide):
        candidates = _coarse(image, mask, reference, factor)
    points = np.argwhere(mask)
    if len(points) > _SAMPLES:
        points = points[np.random.default_rng(0).choice(len(points), _SAMPLES, replace=False)]
    few, all_of_them = (_Sample(image, points[:count], reference) for count in (_FEW_SAMPLES, _SAMPLES))
    reach = round(factor) + 1
    near = sorted({few.best(at, reach) for at in candidates})[:_CANDIDATES]
    best = sorted({all_of_them.best((x, y), 1) for _, x, y in near})
    found = [Found(x, y, _agreeing(image, mask, reference, x, y)) for _, x, y in best]
    first = found[0]
    rivals = [one for one in found[1:] if max(abs(one.x - first.x), abs(one.y - first.y)) >= _APART]
    return replace(first, unique=not any(one.share > first.share - _RIVAL for one in rivals))


def find_match(image: Picture, reference: Picture) -> Match | None:
    """Propose how an image lies on a reference, which may be mirrored, turned by quarters, or at another whole scale.

    As it is comes first: only where that does not agree well enough are other ways looked at, many of them at a small size and the most
    promising ones in full. Parameters as in `find_place`; None where nothing of it can lie there.
    """
    place = find_place(image, reference)
    best = None if place is None else Match(place)
    if place is not None and place.share >= _GOOD:
        return best
    screened = sorted(_screened(image, reference), key=lambda one: one[0])[:_SCREENED]
    for _, way in screened:
        place = find_place(laid(image, way.mirrored, way.quarters, way.scale), reference)
        # What was not turned is likelier than what was, unless it fits less.
        if place is not None and (best is None or place.share > best.place.share + _RIVAL):
            best = replace(way, place=place)
    return best


def laid(image: Picture, mirrored: bool, quarters: int, scale: float) -> Picture:
    """An image mirrored left to right, if at all, turned clockwise by quarters, and resampled to a scale.

    Colour is weighted by alpha meanwhile: averaged over areas where it becomes smaller, repeated where it becomes larger by a whole factor.
    """
    found = np.rot90(image[:, ::-1] if mirrored else image, -quarters)
    if scale == 1:
        return np.ascontiguousarray(found)
    size = tuple(max(1, round(side * scale)) for side in found.shape[1::-1])
    if scale > 1:
        return np.asarray(cv2.resize(found, size, interpolation=cv2.INTER_NEAREST), np.uint8)
    small = np.asarray(cv2.resize(_premultiplied(found), size, interpolation=cv2.INTER_AREA), np.float32)
    alpha = small[..., 3:]
    small[..., :3] = np.divide(small[..., :3], alpha, out=np.zeros_like(small[..., :3]), where=alpha > 0)
    return np.asarray(np.rint(small * 255), np.uint8)


def _screened(image: Picture, reference: Picture) -> Iterator[tuple[float, Match]]:
    """Other ways in which an image may lie, each with how far it is from any place of the reference at a small size."""
    tall, wide = reference.shape[:2]
    factor = max(1.0, max(tall, wide) / _SCREEN)
    small = _reduced(_premultiplied(reference), factor)
    nowhere = Found(0, 0, 0.0)
    for scale in SCALES:
        height, width = (max(1, round(side * scale)) for side in image.shape[:2])
        if max(height, width) > max(tall, wide) or min(height, width) > min(tall, wide):
            continue
        for mirrored in (False, True):
            for quarters in range(4):
                if scale == 1 and not mirrored and quarters == 0:
                    continue
                turned = np.rot90(image[:, ::-1] if mirrored else image, -quarters)
                template = _reduced(_premultiplied(turned), factor / scale)
                if template.shape[0] > small.shape[0] or template.shape[1] > small.shape[1]:
                    continue
                weight = np.maximum(template[..., 3], 1e-3)
                errors = _differences(small, template, weight)
                yield float(errors.min() / weight.sum()), Match(nowhere, mirrored, quarters, scale)


class _Sample:
    """Some pixels of an image, to be compared with a reference at any place."""

    def __init__(self, image: Picture, points: NDArray[np.intp], reference: Picture) -> None:
        self._wanted = image[points[:, 0], points[:, 1]].astype(np.int16)
        # One number a pixel is gathered four times as quickly as four.
        self._under = np.ascontiguousarray(reference).view(np.uint32).reshape(-1)
        self._wide = reference.shape[1]
        self._offsets = points[:, 0] * self._wide + points[:, 1]
        self._lowest = (reference.shape[0] - image.shape[0], reference.shape[1] - image.shape[1])

    def best(self, at: tuple[int, int], reach: int) -> tuple[float, int, int]:
        """The best place within reach of another one: (error, x, y)."""
        down, across = self._lowest
        tops = {min(max(top, 0), down) for top in range(at[1] - reach, at[1] + reach + 1)}
        lefts = {min(max(left, 0), across) for left in range(at[0] - reach, at[0] + reach + 1)}
        return min((self._error(x, y), x, y) for y in tops for x in lefts)

    def _error(self, x: int, y: int) -> float:
        under = self._under[self._offsets + (y * self._wide + x)].view(np.uint8).reshape(-1, 4)
        return float(np.minimum(np.abs(self._wanted - under), _LIMIT).mean())


def _agreeing(image: Picture, mask: NDArray[np.bool_], reference: Picture, x: int, y: int) -> float:
    """The share of the opaque pixels of an image that agree with what lies at a place."""
    under = reference[y : y + image.shape[0], x : x + image.shape[1]]
    differences: NDArray[np.int16] = np.abs(under.astype(np.int16) - image.astype(np.int16)).max(axis=2)
    return float((differences[mask] <= _SAME).mean())


def _coarse(image: Picture, mask: NDArray[np.bool_], reference: Picture, factor: float) -> set[tuple[int, int]]:
    """The best few places (x, y) at the small size, as places at full size."""
    small = _reduced(_premultiplied(reference), factor)
    height, width = mask.shape
    middle_y, middle_x = height // 2, width // 2
    areas = [(0, height, 0, width)]
    if min(height, width) >= 8 * factor:
        areas += [
            (a, b, c, d) for a, b in ((0, middle_y), (middle_y, height)) for c, d in ((0, middle_x), (middle_x, width))
        ]
    places: set[tuple[int, int]] = set()
    for top, bottom, left, right in areas:
        inside = mask[top:bottom, left:right]
        if inside.mean() < 0.1:
            continue
        template = _reduced(_premultiplied(image[top:bottom, left:right]), factor)[: small.shape[0], : small.shape[1]]
        weight = _reduced(inside.astype(np.float32), factor)[: small.shape[0], : small.shape[1]]
        errors = _differences(small, template, np.maximum(weight, 1e-3))
        for _ in range(_CANDIDATES):
            y, x = np.unravel_index(int(errors.argmin()), errors.shape)
            if not np.isfinite(errors[y, x]):
                break
            places.add((round(float(x) * factor) - left, round(float(y) * factor) - top))
            errors[max(0, y - 2) : y + 3, max(0, x - 2) : x + 3] = np.inf
    return places


def _differences(
    picture: NDArray[np.float32], template: NDArray[np.float32], weight: NDArray[np.float32]
) -> NDArray[np.float32]:
    weights = np.repeat(weight[..., None], 4, axis=2)
    errors = cv2.matchTemplate(picture, template, cv2.TM_SQDIFF, mask=weights)
    found: NDArray[np.float32] = errors.astype(np.float32)
    found[~np.isfinite(found)] = np.inf
    return found


def _premultiplied(picture: Picture) -> NDArray[np.float32]:
    exact: NDArray[np.float32] = np.divide(picture, 255, dtype=np.float32)
    exact[..., :3] *= exact[..., 3:]
    return exact


def _reduced(picture: NDArray[np.float32], factor: float) -> NDArray[np.float32]:
    if factor == 1:
        return picture
    size = (max(1, round(picture.shape[1] / factor)), max(1, round(picture.shape[0] / factor)))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)
