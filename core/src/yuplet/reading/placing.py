"""Where a loose image belongs on a reference picture: the place where its opaque pixels differ least.

Source: template matching by the sum of squared differences under a mask (OpenCV, `matchTemplate` with TM_SQDIFF), at a small
size first (a pyramid as in P. J. Burt, "Fast filter transforms for image processing", Computer Graphics and Image Processing
16, 1981), for the whole image and for its quarters, since some of it may be covered. Around the best few places of that, at
full size, by absolute differences that count for no more than a limit, so that what is covered weighs little (a truncated
norm as in P. J. Huber, "Robust Statistics", 1981).
"""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.pixels import Picture

_COARSE = 384
"""Pixels of the longer side of the reference at which is looked first."""
_CANDIDATES = 3
_SAMPLES = 4_000
_LIMIT = 40
"""Levels of 255 beyond which a difference counts no more."""
_OPAQUE = 250
_SAME = 8
"""Levels of 255 by which a pixel may differ and still count as the same."""


@dataclass(frozen=True, slots=True)
class Found:
    """A proposed place: the top left corner, and the share of the image's opaque pixels that agree there (0 to 1)."""

    x: int
    y: int
    share: float


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
    reach = round(factor) + 1
    _, x, y = min(_refined(image, points, reference, at, reach) for at in sorted(candidates))
    under = reference[y : y + height, x : x + width]
    differences: NDArray[np.int16] = np.abs(under.astype(np.int16) - image.astype(np.int16)).max(axis=2)
    return Found(x, y, float((differences[mask] <= _SAME).mean()))


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


def _refined(
    image: Picture, points: NDArray[np.intp], reference: Picture, at: tuple[int, int], reach: int
) -> tuple[float, int, int]:
    """The best place within reach of another one by a sample of pixels: (error, x, y)."""
    (height, width), (tall, wide) = image.shape[:2], reference.shape[:2]
    wanted = image[points[:, 0], points[:, 1]].astype(np.int16)
    best = (np.inf, 0, 0)
    for top in range(at[1] - reach, at[1] + reach + 1):
        for left in range(at[0] - reach, at[0] + reach + 1):
            y, x = min(max(top, 0), tall - height), min(max(left, 0), wide - width)
            under = reference[points[:, 0] + y, points[:, 1] + x].astype(np.int16)
            error = float(np.minimum(np.abs(under - wanted), _LIMIT).mean())
            best = min(best, (error, x, y))
    return best


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
