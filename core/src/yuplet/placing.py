"""Where a loose image belongs on a picture of the whole: the place where its opaque pixels differ least.

Source: template matching by the sum of squared differences under a mask, for all places at once by the correlation theorem (J. P. Lewis, "Fast
Template Matching", Vision Interface 1995), at a small size first (a pyramid as in P. J. Burt, "Fast filter transforms for image processing", Computer
Graphics and Image Processing 16, 1981), for the whole image and for its quarters, since some of it may be covered. Around the best few places of
that, at full size, by absolute differences that count for no more than a limit, so that what is covered weighs little (a truncated norm as in P. J.
Huber, "Robust Statistics", 1981).
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray

Picture: TypeAlias = NDArray[np.uint8]
"""(H, W, 4) straight RGBA."""
Floats: TypeAlias = NDArray[np.float32]

SCALES = (1.0, 1 / 2, 1 / 3, 1 / 4, 2.0, 3.0, 4.0)
"""Whole scales that an image may have beside the picture of the whole."""
_COARSE = 256
"""Pixels of the longer side of the whole at which is looked first."""
_MOST_REDUCED = 16
_SCREEN = 128
"""The same for many ways in which an image may lie."""
_CANDIDATES = 3
_FEW_SAMPLES, _SAMPLES = 400, 4_000
_LIMIT = 40
"""Levels of 255 beyond which a difference counts no more."""
_OPAQUE = 250
_SAME = 8
"""Levels of 255 by which a pixel may differ and still count as the same."""
_PLAIN_ENOUGH = 0.7
"""The certainty from which on nobody looks whether an image lies mirrored, turned or at another scale."""
_GOOD = 0.85
"""The certainty that is needed for that."""
_BETTER = 0.8
"""How much less than as it is an image must differ at a small size to be looked at in another way."""
_RIVAL = 0.02
"""By how much less certain another place may be so that nobody can say which one is meant."""
_APART = 3
"""Pixels from which on two places are not the same."""
_SCREENED = 3


@dataclass(frozen=True, slots=True)
class Found:
    """A proposed place: the top left corner, and the share of the image's opaque pixels that agree there (0 to 1).

    `telling` is the same for the pixels beside which there is another colour: plain ones agree in many places. It is not `unique` where another place
    agrees as well, so that nobody can say which one is meant.
    """

    x: int
    y: int
    share: float
    telling: float = 1.0
    unique: bool = True

    @property
    def certainty(self) -> float:
        """From 0 to 1."""
        least = min(self.share, self.telling)
        return least if self.unique else least / 2


@dataclass(frozen=True, slots=True)
class Match:
    """How an image lies on the whole: mirrored left to right, if at all, then turned clockwise by `quarters`, then `scale` times as large, with its top
    left corner at a place."""

    place: Found
    mirrored: bool = False
    quarters: int = 0
    scale: float = 1.0

    @property
    def is_plain(self) -> bool:
        """Whether it lies as it is."""
        return not self.mirrored and self.quarters == 0 and self.scale == 1


class Whole:
    """A picture of the whole, prepared once for all images that are looked for in it."""

    def __init__(self, picture: Picture) -> None:
        self.picture = np.ascontiguousarray(picture)
        self.height, self.width = self.picture.shape[:2]
        # One number a pixel is gathered four times as quickly as four.
        self.pixels = self.picture.view(np.uint32).reshape(-1)

    @cached_property
    def coarse(self) -> "_Small":
        """At which is looked first; never so small that around each place there would be too much to look at in full."""
        return _Small(self.picture, max(_COARSE, max(self.height, self.width) // _MOST_REDUCED))

    @cached_property
    def screen(self) -> "_Small":
        """At which many ways are looked at."""
        return _Small(self.picture, _SCREEN)


def find_place(image: Picture, whole: Whole) -> Found | None:
    """Propose where an image lies on the whole, as it is.

    Parameters
    ----------
    image : (h, w, 4) uint8
        Trimmed, straight RGBA; only pixels that are nearly opaque are compared.
    whole : Whole
        The picture that it is part of.

    Returns
    -------
    Found or None
        None when the image is larger than the whole or has no opaque pixel.
    """
    height, width = image.shape[:2]
    mask: NDArray[np.bool_] = np.asarray(image[..., 3] >= _OPAQUE)
    if height > whole.height or width > whole.width or not mask.any():
        return None
    candidates = {(0, 0)}
    if (height, width) != (whole.height, whole.width):
        candidates = _candidates(image, mask, whole.coarse)
    telling = _telling(image, mask)
    few, many = (_Sample(image, _points(mask, telling, count), whole) for count in (_FEW_SAMPLES, _SAMPLES))
    reach = round(whole.coarse.factor) + 1
    near = sorted({few.best(at, reach) for at in candidates})[: 2 * _CANDIDATES]
    best = sorted({many.best((x, y), 1) for _, x, y in near})
    # The least error counts outlines that happen to meet; what agrees is what counts in the end.
    found = sorted((_found(image, mask, telling, whole, x, y) for _, x, y in best), key=lambda one: -one.certainty)
    first = found[0]
    rivals = [one for one in found[1:] if max(abs(one.x - first.x), abs(one.y - first.y)) >= _APART]
    return replace(first, unique=not any(one.certainty > first.certainty - _RIVAL for one in rivals))


def find_match(image: Picture, whole: Whole) -> Match | None:
    """Propose how an image lies on the whole, which may be mirrored, turned by quarters, or at another whole scale.

    As it is comes first: only where that does not agree well enough are other ways looked at, all of them at a small size and the most promising in
    full. `image` need not be trimmed; the place is that of its corner, and may lie outside of the whole. None where nothing of it can lie there.
    """
    if not (image[..., 3] >= _OPAQUE).any():
        return None
    best = _matched(Match(_NOWHERE), image, whole)
    if best is not None and best.place.certainty >= _PLAIN_ENOUGH:
        return best
    screened = sorted(_screened(image, whole.screen), key=lambda one: one[0])
    as_it_is = min((error for error, way in screened if way.is_plain), default=np.inf)
    promising = [way for error, way in screened if not way.is_plain and error < as_it_is * _BETTER]
    for way in promising[:_SCREENED]:
        match = _matched(way, image, whole)
        # What lies otherwise than it is must agree nearly everywhere: chance has many ways in which to agree a little.
        least = max(_GOOD, best.place.certainty if best is not None else 0.0)
        if match is not None and match.place.certainty > least:
            best = match
    return best


_NOWHERE = Found(0, 0, 0.0)


def laid(image: Picture, mirrored: bool, quarters: int, scale: float) -> Picture:
    """An image mirrored left to right, if at all, turned clockwise by quarters, and resampled to a scale.

    Colour is weighted by alpha meanwhile: averaged over areas where it becomes smaller; where it becomes larger, pixels are repeated.
    """
    found = np.ascontiguousarray(np.rot90(image[:, ::-1] if mirrored else image, -quarters))
    if scale == 1:
        return found
    size = tuple(max(1, round(side * scale)) for side in found.shape[1::-1])
    if scale > 1:
        return np.asarray(cv2.resize(found, size, interpolation=cv2.INTER_NEAREST), np.uint8)
    small = np.asarray(cv2.resize(_premultiplied(found), size, interpolation=cv2.INTER_AREA), np.float32)
    alpha = small[..., 3:]
    small[..., :3] = np.divide(small[..., :3], alpha, out=np.zeros_like(small[..., :3]), where=alpha > 0)
    return np.asarray(np.rint(small * 255), np.uint8)


def _matched(way: Match, image: Picture, whole: Whole) -> Match | None:
    """The place of an image that lies in some way; trimmed only then, since where it is cut decides what its pixels are averaged with."""
    pixels = laid(image, way.mirrored, way.quarters, way.scale)
    rows, columns = (np.flatnonzero(pixels[..., 3].any(axis=axis)) for axis in (1, 0))
    if rows.size == 0:
        return None
    top, left = int(rows[0]), int(columns[0])
    place = find_place(np.ascontiguousarray(pixels[top : rows[-1] + 1, left : columns[-1] + 1]), whole)
    return None if place is None else replace(way, place=replace(place, x=place.x - left, y=place.y - top))


def _screened(image: Picture, small: "_Small") -> Iterator[tuple[float, Match]]:
    """Ways in which an image may lie, each with how far it is from any place of the whole at a small size.

    That is beside how far it is from its own mean: small and plain images agree with much.
    """
    sizes: dict[float, Floats] = {}
    exact = _premultiplied(image)
    for scale in SCALES:
        height, width = (max(1, round(side * scale / small.factor)) for side in image.shape[:2])
        if max(height, width) <= max(small.shape) and min(height, width) <= min(small.shape):
            sizes[scale] = _reduced(exact, small.factor / scale)
    for scale, reduced in sizes.items():
        for mirrored in (False, True):
            for quarters in range(4):
                template = np.rot90(reduced[:, ::-1] if mirrored else reduced, -quarters)
                if template.shape[0] > small.shape[0] or template.shape[1] > small.shape[1]:
                    continue
                weight = np.maximum(template[..., 3], 1e-3)
                mean = (template * weight[..., None]).sum(axis=(0, 1)) / weight.sum()
                own = float((((template - mean) ** 2) * weight[..., None]).sum())
                error = float(small.differences(template, weight).min())
                yield max(error, 0.0) / max(own, 1e-6), Match(_NOWHERE, mirrored, quarters, scale)


class _Small:
    """The whole at a small size, as what correlations with it are computed from."""

    def __init__(self, picture: Picture, longest: int) -> None:
        self.factor = max(1.0, max(picture.shape[:2]) / longest)
        reduced = _reduced(_premultiplied_bytes(picture), self.factor).astype(np.float64) / 255
        self.shape = reduced.shape[:2]
        self._padded = [cv2.getOptimalDFTSize(side) for side in self.shape]
        self._squares = np.fft.rfft2((reduced**2).sum(axis=2), self._padded)
        self._channels = np.fft.rfft2(reduced, self._padded, axes=(0, 1))

    def differences(self, template: Floats, weight: Floats) -> NDArray[np.float64]:
        """The weighted sum of squared differences at each place where a template lies inside."""
        height, width = weight.shape
        weights = np.fft.rfft2(weight.astype(np.float64), self._padded)
        weighted = np.fft.rfft2((template * weight[..., None]).astype(np.float64), self._padded, axes=(0, 1))
        both = self._squares * np.conj(weights) - 2 * np.einsum("yxc,yxc->yx", self._channels, np.conj(weighted))
        found = np.fft.irfft2(both, self._padded)[: self.shape[0] - height + 1, : self.shape[1] - width + 1]
        own: NDArray[np.float64] = found + float(((template.astype(np.float64) ** 2).sum(axis=2) * weight).sum())
        return own


def _candidates(image: Picture, mask: NDArray[np.bool_], small: _Small) -> set[tuple[int, int]]:
    """The best few places (x, y) at the small size, as places at full size."""
    factor = small.factor
    height, width = mask.shape
    middle_y, middle_x = height // 2, width // 2
    areas = [(0, height, 0, width)]
    if min(height, width) >= 8 * factor:
        areas += [
            (a, b, c, d) for a, b in ((0, middle_y), (middle_y, height)) for c, d in ((0, middle_x), (middle_x, width))
        ]
    places: set[tuple[int, int]] = set()
    exact = _premultiplied(image)
    for top, bottom, left, right in areas:
        inside = mask[top:bottom, left:right]
        if inside.mean() < 0.1:
            continue
        template = _reduced(exact[top:bottom, left:right], factor)[: small.shape[0], : small.shape[1]]
        weight = _reduced(inside.astype(np.float32), factor)[: small.shape[0], : small.shape[1]]
        errors = small.differences(template, np.maximum(weight, 1e-3))
        for _ in range(_CANDIDATES):
            y, x = np.unravel_index(int(errors.argmin()), errors.shape)
            if not np.isfinite(errors[y, x]):
                break
            places.add((round(float(x) * factor) - left, round(float(y) * factor) - top))
            errors[max(0, y - 2) : y + 3, max(0, x - 2) : x + 3] = np.inf
    return places


class _Sample:
    """Some pixels of an image, to be compared with the whole at any place."""

    def __init__(self, image: Picture, points: NDArray[np.intp], whole: Whole) -> None:
        self._wanted = image[points[:, 0], points[:, 1]].astype(np.int16)
        self._whole = whole
        self._offsets = points[:, 0] * whole.width + points[:, 1]
        self._lowest = (whole.height - image.shape[0], whole.width - image.shape[1])

    def best(self, at: tuple[int, int], reach: int) -> tuple[float, int, int]:
        """The best place within reach of another one: (error, x, y)."""
        down, across = self._lowest
        tops = {min(max(top, 0), down) for top in range(at[1] - reach, at[1] + reach + 1)}
        lefts = {min(max(left, 0), across) for left in range(at[0] - reach, at[0] + reach + 1)}
        places = np.array([(y, x) for y in sorted(tops) for x in sorted(lefts)])
        under = self._whole.pixels[(places @ (self._whole.width, 1))[:, None] + self._offsets]
        apart = np.abs(under.view(np.uint8).reshape(*under.shape, 4) - self._wanted)
        errors = np.minimum(apart, _LIMIT).mean(axis=(1, 2))
        best = int(errors.argmin())
        return float(errors[best]), int(places[best, 1]), int(places[best, 0])


def _telling(image: Picture, mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which opaque pixels have another colour beside them, or the outline of the image; all where none has."""
    colour = np.where(mask[..., None], image[..., :3], 0).astype(np.uint8)
    kernel = np.ones((3, 3), np.uint8)
    apart = cv2.subtract(cv2.dilate(colour, kernel), cv2.erode(colour, kernel)).max(axis=2) > _LIMIT // 2
    inner = cv2.erode(mask.astype(np.uint8), kernel, borderType=cv2.BORDER_CONSTANT, borderValue=0) > 0
    found: NDArray[np.bool_] = mask & (apart | ~inner)
    return found if found.any() else mask


def _points(mask: NDArray[np.bool_], telling: NDArray[np.bool_], count: int) -> NDArray[np.intp]:
    """Some opaque pixels, half of them telling ones, as (n, 2): y, x."""
    chance = np.random.default_rng(0)
    found = []
    for which in (mask, telling):
        points = np.argwhere(which)
        if len(points) > count // 2:
            points = points[chance.choice(len(points), count // 2, replace=False)]
        found.append(points)
    return np.concatenate(found)


def _found(image: Picture, mask: NDArray[np.bool_], telling: NDArray[np.bool_], whole: Whole, x: int, y: int) -> Found:
    """A place, with the shares of pixels that agree there."""
    under = whole.picture[y : y + image.shape[0], x : x + image.shape[1]]
    same = np.maximum(cv2.subtract(under, image), cv2.subtract(image, under)).max(axis=2) <= _SAME
    return Found(x, y, float(same[mask].mean()), float(same[telling].mean()))


def _premultiplied(picture: Picture) -> Floats:
    exact: Floats = np.divide(np.ascontiguousarray(picture), 255, dtype=np.float32)
    exact[..., :3] *= exact[..., 3:]
    return exact


def _premultiplied_bytes(picture: Picture) -> Picture:
    """The same in whole levels: exact enough to search by, and a whole of 250 million pixels stays within a job's memory."""
    found = np.empty_like(picture)
    found[..., 3] = picture[..., 3]
    for channel in range(3):
        found[..., channel] = cv2.multiply(picture[..., channel], picture[..., 3], scale=1 / 255)
    return found


def _reduced(picture: Floats | Picture, factor: float) -> Floats:
    if factor == 1:
        return np.asarray(picture, np.float32)
    size = (max(1, round(picture.shape[1] / factor)), max(1, round(picture.shape[0] / factor)))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), np.float32)
