"""The inner loops of compositing, compiled once by numba and kept on disk (see docs/decisions/own-blend-kernels.md).

All work on straight colour in float64, 0 to 1, straight from the formulas of W3C Compositing and Blending Level 1.
float64, so that a second compositor which also keeps to the formulas rounds to the same 8-bit pixel.
"""

import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import READ_ONLY, compiled
from yuplet.pixels import blending

Accumulator = NDArray[np.float64]
Canvas8 = NDArray[np.uint8]

SHARED_PICTURE = READ_ONLY.format("uint8", 3, "A")
"""The type of a picture that a compiled loop only reads: it may be one that others have, too (`pixels.picture_cache`)."""
_SHARED_BYTES = READ_ONLY.format("uint8", 1, "C")

_MULTIPLY, _SCREEN, _OVERLAY = blending.MULTIPLY, blending.SCREEN, blending.OVERLAY
_DARKEN, _LIGHTEN = blending.DARKEN, blending.LIGHTEN
_DODGE, _BURN = blending.COLOR_DODGE, blending.COLOR_BURN
_HARD, _SOFT = blending.HARD_LIGHT, blending.SOFT_LIGHT
_DIFFERENCE, _EXCLUSION = blending.DIFFERENCE, blending.EXCLUSION
_HUE, _SATURATION, _COLOR, _LUMINOSITY = blending.HUE, blending.SATURATION, blending.COLOR, blending.LUMINOSITY
_LIGHTER, _IN, _OUT = blending.LIGHTER, blending.DESTINATION_IN, blending.DESTINATION_OUT
_ATOP, _DEST_ATOP = blending.SOURCE_ATOP, blending.DESTINATION_ATOP
_NORMAL = blending.NORMAL

ROUNDING = 0.5 + 1e-6
"""Added before cutting off: halves go up, and values within 1e-6 of a half count as halves (docs/formats/manifest.md)."""


@compiled("float64(float64, float64, int64)")
def _separable(b: float, s: float, mode: int) -> float:
    """B(cb, cs) of section 10.1 for one colour component."""
    if mode in (_HARD, _OVERLAY):
        if mode == _OVERLAY:
            b, s = s, b
        if s <= 0.5:
            return b * 2.0 * s
        t = 2.0 * s - 1.0
        return b + t - b * t
    if mode == _MULTIPLY:
        return b * s
    if mode == _SCREEN:
        return b + s - b * s
    if mode == _DARKEN:
        return min(b, s)
    if mode == _LIGHTEN:
        return max(b, s)
    if mode == _DODGE:
        if b == 0.0:
            return 0.0
        return 1.0 if s >= 1.0 else min(1.0, b / (1.0 - s))
    if mode == _BURN:
        if b >= 1.0:
            return 1.0
        return 0.0 if s <= 0.0 else 1.0 - min(1.0, (1.0 - b) / s)
    if mode == _SOFT:
        if s <= 0.5:
            return b - (1.0 - 2.0 * s) * b * (1.0 - b)
        d = ((16.0 * b - 12.0) * b + 4.0) * b if b <= 0.25 else np.sqrt(b)
        return b + (2.0 * s - 1.0) * (d - b)
    if mode == _DIFFERENCE:
        return abs(b - s)
    if mode == _EXCLUSION:
        return b + s - 2.0 * b * s
    return s


@compiled("float64(float64, float64, float64)")
def _lum(r: float, g: float, b: float) -> float:
    return 0.3 * r + 0.59 * g + 0.11 * b


@compiled("UniTuple(float64, 3)(float64, float64, float64, float64)")
def _set_lum(r: float, g: float, b: float, lum: float) -> tuple[float, float, float]:
    """SetLum with ClipColor of section 10.2; the divisions are guarded where all components are equal."""
    d = lum - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    lum = _lum(r, g, b)
    low, high = min(r, g, b), max(r, g, b)
    if low < 0.0 and lum > low:
        k = lum / (lum - low)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    if high > 1.0 and high > lum:
        k = (1.0 - lum) / (high - lum)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    return r, g, b


@compiled("UniTuple(float64, 3)(float64, float64, float64, float64)")
def _set_sat(r: float, g: float, b: float, sat: float) -> tuple[float, float, float]:
    """SetSat of section 10.2: the least component to 0, the greatest to `sat`, the middle in proportion."""
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return 0.0, 0.0, 0.0
    k = sat / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@compiled("UniTuple(float64, 3)(float64, float64, float64, float64, float64, float64, int64)")
def _blend(br: float, bg: float, bb: float, sr: float, sg: float, sb: float, mode: int) -> tuple[float, float, float]:
    """B(cb, cs) for a whole colour."""
    if mode < _HUE:
        return _separable(br, sr, mode), _separable(bg, sg, mode), _separable(bb, sb, mode)
    lum = _lum(br, bg, bb)
    sat = max(br, bg, bb) - min(br, bg, bb)
    if mode == _HUE:
        r, g, b = _set_sat(sr, sg, sb, sat)
        return _set_lum(r, g, b, lum)
    if mode == _SATURATION:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return _set_lum(r, g, b, lum)
    if mode == _COLOR:
        return _set_lum(sr, sg, sb, lum)
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))


@compiled("void(float64[:], float64, float64, float64, float64, int64)")
def _lay_pixel(under: Accumulator, r: float, g: float, b: float, a: float, mode: int) -> None:
    """Lay one source pixel (straight colour, alpha `a`) over `under` in place."""
    ab = under[3]
    if mode == _IN:
        under[3] = ab * a
        return
    if mode == _OUT:
        under[3] = ab * (1.0 - a)
        return
    if mode == _DEST_ATOP:
        under[0] = r * (1.0 - ab) + under[0] * ab
        under[1] = g * (1.0 - ab) + under[1] * ab
        under[2] = b * (1.0 - ab) + under[2] * ab
        under[3] = a
        return
    if a == 0.0:
        return
    if mode == _ATOP:
        under[0] += (r - under[0]) * a
        under[1] += (g - under[1]) * a
        under[2] += (b - under[2]) * a
        return
    if mode == _LIGHTER:
        total = min(1.0, ab + a)
        under[0] = min(1.0, under[0] * ab + r * a) / total
        under[1] = min(1.0, under[1] * ab + g * a) / total
        under[2] = min(1.0, under[2] * ab + b * a) / total
        under[3] = total
        return
    if mode != _NORMAL and ab > 0.0:
        mr, mg, mb = _blend(under[0], under[1], under[2], r, g, b, mode)
        r, g, b = r + (mr - r) * ab, g + (mg - g) * ab, b + (mb - b) * ab
    total = a + ab * (1.0 - a)
    share = a / total
    under[0] += (r - under[0]) * share
    under[1] += (g - under[1]) * share
    under[2] += (b - under[2]) * share
    under[3] = total


@compiled(f"void(float64[:, :, :], {SHARED_PICTURE}, float64)")
def lay_normal(under: Accumulator, picture: Canvas8, opacity: float) -> None:
    """Lay an 8-bit picture over `under` (both (H, W, 4)) in the mode normal, in place: the case that must be fast."""
    level = 1.0 / 255.0
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            a = picture[y, x, 3] * level * opacity
            if a == 0.0:
                continue
            rest = under[y, x, 3] * (1.0 - a)
            total = a + rest
            share = 1.0
            if rest > 0.0:
                share = a if total == 1.0 else a / total
            keep = 1.0 - share
            share *= level
            under[y, x, 0] = under[y, x, 0] * keep + picture[y, x, 0] * share
            under[y, x, 1] = under[y, x, 1] * keep + picture[y, x, 1] * share
            under[y, x, 2] = under[y, x, 2] * keep + picture[y, x, 2] * share
            under[y, x, 3] = total


@compiled(f"void(float64[:, :, :], {SHARED_PICTURE}, float64, int64)")
def lay_blended(under: Accumulator, picture: Canvas8, opacity: float, mode: int) -> None:
    """Lay an 8-bit picture over `under` (both (H, W, 4)) in any mode, in place."""
    counts_outside = mode in (_IN, _DEST_ATOP)
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if picture[y, x, 3] == 0 and not counts_outside:
                continue
            _lay_pixel(
                under[y, x],
                picture[y, x, 0] / 255.0,
                picture[y, x, 1] / 255.0,
                picture[y, x, 2] / 255.0,
                picture[y, x, 3] / 255.0 * opacity,
                mode,
            )


@compiled("void(float64[:, :, :], float64[:, :, :], float64, int64)")
def lay_group(under: Accumulator, group: Accumulator, opacity: float, mode: int) -> None:
    """Lay the finished picture of a group over `under` (both (H, W, 4)) with an opacity from 0 to 1, in place."""
    for y in range(group.shape[0]):
        for x in range(group.shape[1]):
            _lay_pixel(under[y, x], group[y, x, 0], group[y, x, 1], group[y, x, 2], group[y, x, 3] * opacity, mode)


@compiled("void(float64[:, :, :], uint8[:, :, :])")
def to_8_bits(exact: Accumulator, out: Canvas8) -> None:
    """Round to 8 bits, halves up; where alpha becomes 0, colour becomes 0 too."""
    for y in range(exact.shape[0]):
        for x in range(exact.shape[1]):
            a = int(exact[y, x, 3] * 255.0 + ROUNDING)
            out[y, x, 3] = a
            for c in range(3):
                value = min(max(exact[y, x, c], 0.0), 1.0)
                out[y, x, c] = int(value * 255.0 + ROUNDING) if a > 0 else 0


@compiled(f"int64({_SHARED_BYTES}, {_SHARED_BYTES}, uint8[::1])")
def _difference(row: NDArray[np.uint8], other: NDArray[np.uint8], out: NDArray[np.uint8]) -> int:
    """out = row - other in bytes; answers the sum of the absolute values, read as signed bytes."""
    total = np.int32(0)
    for i in range(row.shape[0]):
        value = np.uint8(row[i] - other[i])
        out[i] = value
        total += np.int32(min(value, np.uint8(-value)))
    return int(total)


@compiled(f"void({READ_ONLY.format('uint8', 2, 'C')}, uint8[:, ::1], int64)")
def filter_rows(rows: Canvas8, out: Canvas8, channels: int) -> None:
    """Filter the rows of a PNG: for each row None, Sub or Up, whichever has the least sum of absolute differences.

    `rows` is (H, W * channels), `out` one column wider. Source: PNG third edition, sections 9.2 and 12.7.
    """
    height, width = rows.shape
    nothing = np.zeros(width, np.uint8)
    shifted = np.zeros(width, np.uint8)
    spare = np.empty(width, np.uint8)
    for y in range(height):
        row = rows[y]
        shifted[channels:] = row[: width - channels]
        target = out[y, 1:]
        kind = 0
        least = _difference(row, nothing, target)
        cost = _difference(row, shifted, spare)
        if cost < least:
            kind, least = 1, cost
            target[:] = spare
        cost = _difference(row, rows[y - 1] if y > 0 else nothing, spare)
        if cost <= least:
            kind = 2
            target[:] = spare
        out[y, 0] = kind


@compiled("void(uint8[:, :, ::1])")
def clear_hidden_colour(picture: Canvas8) -> None:
    """Set colour to 0 wherever alpha is 0, in place."""
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if picture[y, x, 3] == 0:
                picture[y, x, 0] = 0
                picture[y, x, 1] = 0
                picture[y, x, 2] = 0


@compiled(f"int64({READ_ONLY.format('uint8', 3, 'C')})")
def colour_kinds(picture: Canvas8) -> int:
    """1 when every pixel is opaque, plus 2 when every pixel is grey."""
    opaque = True
    grey = True
    for y in range(picture.shape[0]):
        for x in range(picture.shape[1]):
            if picture[y, x, 3] != 255:
                opaque = False
            if picture[y, x, 0] != picture[y, x, 1] or picture[y, x, 1] != picture[y, x, 2]:
                grey = False
        if not opaque and not grey:
            return 0
    return (1 if opaque else 0) + (2 if grey else 0)


@compiled("void(int32[:, :], int64[:, :])")
def widen(labels: NDArray[np.int32], boxes: NDArray[np.int64]) -> None:
    """Widen the box (left, top, right, bottom) of each label so that it holds all of its pixels."""
    for y in range(labels.shape[0]):
        for x in range(labels.shape[1]):
            label = labels[y, x]
            if label == 0:
                continue
            boxes[label, 0] = min(boxes[label, 0], x)
            boxes[label, 1] = min(boxes[label, 1], y)
            boxes[label, 2] = max(boxes[label, 2], x + 1)
            boxes[label, 3] = max(boxes[label, 3], y + 1)


@compiled(f"int64({READ_ONLY.format('uint32', 2, 'A')}, uint8[:, :], uint32[:])")
def index_colours(pixels: NDArray[np.uint32], indices: Canvas8, colours: NDArray[np.uint32]) -> int:
    """Number the different pixels in the order in which they appear; `colours` takes up to 256 of them.

    Answers how many there are, or -1 as soon as there are more.
    """
    table = np.full(1024, -1, np.int64)
    count = 0
    for y in range(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            pixel = pixels[y, x]
            at = (np.uint32(pixel * np.uint32(2654435761)) >> np.uint32(22)) & np.uint32(1023)
            while table[at] >= 0 and colours[table[at]] != pixel:
                at = (at + np.uint32(1)) & np.uint32(1023)
            if table[at] < 0:
                if count == 256:
                    return -1
                table[at] = count
                colours[count] = pixel
                count += 1
            indices[y, x] = table[at]
    return count
