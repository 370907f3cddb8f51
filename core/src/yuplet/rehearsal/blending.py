"""Laying pictures over each other on colour multiplied by alpha, in float64: the rehearsal's own reading of the formulas.

Source: W3C, Compositing and Blending Level 1, https://www.w3.org/TR/compositing-1/. Source-over is section 9.1.4, the
operators are written by their fractions Fa and Fb (section 9.1), the blend functions are those of section 10.
The plain case runs in a compiled loop, all others in numpy.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import compiled

Floats = NDArray[np.float64]
Bytes = NDArray[np.uint8]

ROUND_UP_FROM = 0.5 - 1e-6
"""Fractions from here on go up (docs/formats/manifest.md, "Rounding")."""


@compiled("void(float64[:, :, :], uint8[:, :, :], float64)")
def over_bytes(backdrop: Floats, image: Bytes, opacity: float) -> None:
    """Source-over of a straight 8-bit image onto a premultiplied backdrop, in place: Co = as*cs + Cb*(1 - as)."""
    scale = opacity / 255.0
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            alpha = image[y, x, 3] * scale
            if alpha > 0.0:
                rest = 1.0 - alpha
                weight = alpha / 255.0
                backdrop[y, x, 0] = image[y, x, 0] * weight + backdrop[y, x, 0] * rest
                backdrop[y, x, 1] = image[y, x, 1] * weight + backdrop[y, x, 1] * rest
                backdrop[y, x, 2] = image[y, x, 2] * weight + backdrop[y, x, 2] * rest
                backdrop[y, x, 3] = alpha + backdrop[y, x, 3] * rest


@compiled("void(float64[:, :, :], uint16[:, :, :], float64)")
def over_words(backdrop: Floats, source: NDArray[np.uint16], opacity: float) -> None:
    """Source-over of a premultiplied 16-bit picture onto a premultiplied backdrop of the same size, in place."""
    scale = opacity / 65535.0
    for y in range(source.shape[0]):
        for x in range(source.shape[1]):
            if source[y, x, 3] > 0:
                rest = 1.0 - source[y, x, 3] * scale
                for c in range(4):
                    backdrop[y, x, c] = source[y, x, c] * scale + backdrop[y, x, c] * rest


@compiled("float64(int64, float64, float64)")
def _blended(mode: int, cb: float, cs: float) -> float:
    """The blend functions of section 10.1 that look at one channel, by their place in `COMPILED`."""
    if mode == 0:
        return cb * cs
    if mode == 1:
        return cb + cs - cb * cs
    if mode == 2:
        return 2 * cb * cs if cb <= 0.5 else cs + (2 * cb - 1) - cs * (2 * cb - 1)
    if mode == 3:
        return min(cb, cs)
    if mode == 4:
        return max(cb, cs)
    if mode == 5:
        return 2 * cs * cb if cs <= 0.5 else cb + (2 * cs - 1) - cb * (2 * cs - 1)
    if mode == 6:
        return abs(cb - cs)
    return cb + cs - 2 * cb * cs


COMPILED = ("multiply", "screen", "overlay", "darken", "lighten", "hard-light", "difference", "exclusion")
"""The modes that `blend_bytes` and `blend_words` have, in their order."""


@compiled("void(float64[:, :, :], uint8[:, :, :], float64, int64)")
def blend_bytes(backdrop: Floats, image: Bytes, opacity: float, mode: int) -> None:
    """Blend a straight 8-bit image with a premultiplied backdrop of the same size, in place, in a mode of `COMPILED` (section 10):
    co = cs*as*(1 - ab) + cb*ab*(1 - as) + as*ab*B(cb, cs).
    """
    scale = opacity / 255.0
    for y in range(image.shape[0]):
        for x in range(image.shape[1]):
            alpha = image[y, x, 3] * scale
            if alpha > 0.0:
                under = backdrop[y, x, 3]
                both = alpha * under
                for c in range(3):
                    own, its = image[y, x, c] / 255.0, backdrop[y, x, c]
                    mixed = 0.0
                    if both > 0.0:
                        mixed = both * _blended(mode, its / under, own)
                    backdrop[y, x, c] = own * alpha * (1.0 - under) + its * (1.0 - alpha) + mixed
                backdrop[y, x, 3] = alpha + under - both


@compiled("void(float64[:, :, :], uint16[:, :, :], float64, int64)")
def blend_words(backdrop: Floats, source: NDArray[np.uint16], opacity: float, mode: int) -> None:
    """Blend a premultiplied 16-bit picture with a premultiplied backdrop of the same size, in place, in a mode of `COMPILED`."""
    scale = opacity / 65535.0
    for y in range(source.shape[0]):
        for x in range(source.shape[1]):
            if source[y, x, 3] > 0:
                alpha, under = source[y, x, 3] * scale, backdrop[y, x, 3]
                both = alpha * under
                for c in range(3):
                    own, its = source[y, x, c] * scale, backdrop[y, x, c]
                    mixed = 0.0
                    if both > 0:
                        mixed = both * _blended(mode, its / under, own / alpha)
                    backdrop[y, x, c] = own * (1 - under) + its * (1 - alpha) + mixed
                backdrop[y, x, 3] = alpha + under - both


@compiled("void(float64[:, :, :], uint8[:, :, :])")
def round_to_bytes(exact: Floats, rows: Bytes) -> None:
    """A premultiplied picture as straight 8-bit colour, into `rows`; what is not seen has no colour."""
    for y in range(exact.shape[0]):
        for x in range(exact.shape[1]):
            a = exact[y, x, 3]
            alpha = int(a * 255.0 + 1.0 - ROUND_UP_FROM)
            rows[y, x, 3] = alpha
            for c in range(3):
                level = 0
                if alpha > 0:
                    level = int(min(exact[y, x, c] / a, 1.0) * 255.0 + 1.0 - ROUND_UP_FROM)
                rows[y, x, c] = level


DIFFERENCES = np.dtype(
    [
        (name, np.int64)
        for name in (
            "differing", "largest", "x", "y", "left", "top", "right", "bottom", "weighted_sum", "weighted_largest",
        )
    ]
)  # fmt: skip
"""How many pixels differ, by how much at most and where; the box around them; and, of colour weighted by alpha, the sum of all differences
and the largest, both in 255ths of a level: colour that is hardly seen counts little there."""


def _counting() -> Any:
    from numba import float64, from_dtype, uint8, void

    return void(float64[:, :, :], uint8[:, :, :], from_dtype(DIFFERENCES)[:])


@compiled(_counting)
def count_differences(exact: Floats, reference: Bytes, found: NDArray[np.void]) -> None:
    """Round a premultiplied picture and count where it is not the reference, into the one entry of `found`."""
    differing, largest, x_worst, y_worst = 0, 0, 0, 0
    left, top, right, bottom = exact.shape[1], exact.shape[0], 0, 0
    weighted_sum, weighted_largest = 0, 0
    for y in range(exact.shape[0]):
        for x in range(exact.shape[1]):
            a = exact[y, x, 3]
            covered = int(reference[y, x, 3])
            if a == 0.0 and covered == 0:
                continue  # nothing is seen in either
            alpha = int(a * 255.0 + 1.0 - ROUND_UP_FROM)
            worst = abs(alpha - covered)
            weighted_sum += 255 * worst
            weighted_largest = max(weighted_largest, 255 * worst)
            for c in range(3):
                level = 0
                if alpha > 0:
                    level = int(min(exact[y, x, c] / a, 1.0) * 255.0 + 1.0 - ROUND_UP_FROM)
                    worst = max(worst, abs(level - int(reference[y, x, c])))
                seen = abs(level * alpha - int(reference[y, x, c]) * covered)
                weighted_sum += seen
                weighted_largest = max(weighted_largest, seen)
            if worst > 0:
                differing += 1
                if worst > largest:
                    largest, x_worst, y_worst = worst, x, y
                left, top = min(left, x), min(top, y)
                right, bottom = max(right, x + 1), max(bottom, y + 1)
    found[0].weighted_sum, found[0].weighted_largest = weighted_sum, weighted_largest
    if differing > 0:
        found[0].differing, found[0].largest, found[0].x, found[0].y = differing, largest, x_worst, y_worst
        found[0].left, found[0].top, found[0].right, found[0].bottom = left, top, right, bottom


def count_differences_of_words(exact: Floats, reference: NDArray[np.uint16], found: NDArray[np.void]) -> None:
    """The same as `count_differences` with 16 bits a channel; weighted differences are in 65535ths of a level of 65535."""
    alpha = np.floor(exact[..., 3:] * 65535.0 + 1.0 - ROUND_UP_FROM)
    colour = np.divide(exact[..., :3], exact[..., 3:], out=np.zeros_like(exact[..., :3]), where=alpha > 0)
    levels = np.floor(np.minimum(colour, 1.0) * 65535.0 + 1.0 - ROUND_UP_FROM)
    its, covered = reference[..., :3].astype(np.float64), reference[..., 3:].astype(np.float64)
    by_alpha = np.abs(alpha - covered)
    worst = np.maximum(by_alpha[..., 0], np.where(alpha > 0, np.abs(levels - its), 0.0).max(axis=-1))
    seen = np.concatenate([np.abs(levels * alpha - its * covered), 65535.0 * by_alpha], axis=-1)
    found[0]["weighted_sum"], found[0]["weighted_largest"] = seen.sum(), seen.max(initial=0)
    rows, columns = np.nonzero(worst)
    if not len(rows):
        return
    y, x = np.unravel_index(worst.argmax(), worst.shape)
    found[0]["differing"], found[0]["largest"] = len(rows), worst.max()
    found[0]["x"], found[0]["y"] = x, y
    found[0]["left"], found[0]["top"] = columns.min(), rows.min()
    found[0]["right"], found[0]["bottom"] = columns.max() + 1, rows.max() + 1


def premultiplied(image: Bytes | NDArray[np.uint16], opacity: float) -> Floats:
    """A straight image of 8 or 16 bits as float64 with colour multiplied by alpha and opacity."""
    result = image.astype(np.float64) / np.iinfo(image.dtype).max
    result[..., 3] *= opacity
    result[..., :3] *= result[..., 3:]
    return result


def lay(backdrop: Floats, source: Floats, mode: str) -> None:
    """Lay a premultiplied picture onto a backdrop of the same size, in place; raises KeyError for an unknown mode."""
    source_alpha, backdrop_alpha = source[..., 3:], backdrop[..., 3:]
    if mode in _FRACTIONS:
        fa, fb = _FRACTIONS[mode](source_alpha, backdrop_alpha)
        backdrop[...] = np.minimum(source * fa + backdrop * fb, 1.0)
        return
    blend = _BLENDS[mode]
    cs = np.divide(source[..., :3], source_alpha, out=np.zeros_like(source[..., :3]), where=source_alpha > 0)
    cb = np.divide(backdrop[..., :3], backdrop_alpha, out=np.zeros_like(source[..., :3]), where=backdrop_alpha > 0)
    both = source_alpha * backdrop_alpha
    colour = source[..., :3] * (1 - backdrop_alpha) + backdrop[..., :3] * (1 - source_alpha) + both * blend(cb, cs)
    backdrop[..., 3:] = source_alpha + backdrop_alpha - both
    backdrop[..., :3] = colour


_FRACTIONS: dict[str, Callable[[Floats, Floats], tuple[Floats | float, Floats | float]]] = {
    "normal": lambda a, b: (1.0, 1 - a),
    "destination-in": lambda a, b: (0.0, a),
    "destination-out": lambda a, b: (0.0, 1 - a),
    "source-atop": lambda a, b: (b, 1 - a),
    "destination-atop": lambda a, b: (1 - b, a),
    "lighter": lambda a, b: (1.0, 1.0),
}

OUTSIDE_TOO = frozenset({"destination-in", "destination-atop"})
"""Operators that empty the backdrop wherever the source is empty."""


def _hard_light(cb: Floats, cs: Floats) -> Floats:
    return np.where(cs <= 0.5, cb * (2 * cs), cb + (2 * cs - 1) - cb * (2 * cs - 1))


def _soft_light(cb: Floats, cs: Floats) -> Floats:
    d = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(np.maximum(cb, 0)))
    return np.where(cs <= 0.5, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (d - cb))


def _color_dodge(cb: Floats, cs: Floats) -> Floats:
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(cb <= 0, 0.0, np.where(cs >= 1, 1.0, np.minimum(1, cb / (1 - cs))))


def _color_burn(cb: Floats, cs: Floats) -> Floats:
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(cb >= 1, 1.0, np.where(cs <= 0, 0.0, 1 - np.minimum(1, (1 - cb) / cs)))


def _luminosity(c: Floats) -> Floats:
    weighted: Floats = c @ np.array([0.3, 0.59, 0.11])
    return weighted[..., None]


def _saturation(c: Floats) -> Floats:
    spread: Floats = np.max(c, axis=-1, keepdims=True) - np.min(c, axis=-1, keepdims=True)
    return spread


def _with_luminosity(c: Floats, lum: Floats) -> Floats:
    c = c + (lum - _luminosity(c))
    level = _luminosity(c)
    low, high = c.min(axis=-1, keepdims=True), c.max(axis=-1, keepdims=True)
    with np.errstate(divide="ignore", invalid="ignore"):
        c = np.where((low < 0) & (level > low), level + (c - level) * level / (level - low), c)
        return np.where((high > 1) & (high > level), level + (c - level) * (1 - level) / (high - level), c)


def _with_saturation(c: Floats, sat: Floats) -> Floats:
    spread = _saturation(c)
    result: Floats = np.zeros_like(c)
    np.divide((c - np.min(c, axis=-1, keepdims=True)) * sat, spread, out=result, where=spread > 0)
    return result


_BLENDS: dict[str, Callable[[Floats, Floats], Floats]] = {
    "multiply": lambda cb, cs: cb * cs,
    "screen": lambda cb, cs: cb + cs - cb * cs,
    "overlay": lambda cb, cs: _hard_light(cs, cb),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _color_dodge,
    "color-burn": _color_burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda cb, cs: np.abs(cb - cs),
    "exclusion": lambda cb, cs: cb + cs - 2 * cb * cs,
    "hue": lambda cb, cs: _with_luminosity(_with_saturation(cs, _saturation(cb)), _luminosity(cb)),
    "saturation": lambda cb, cs: _with_luminosity(_with_saturation(cb, _saturation(cs)), _luminosity(cb)),
    "color": lambda cb, cs: _with_luminosity(cs, _luminosity(cb)),
    "luminosity": lambda cb, cs: _with_luminosity(cb, _luminosity(cs)),
}
