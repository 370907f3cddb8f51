"""A third reading of the compositing formulas, one pixel at a time in plain Python, for tests only.

Source: W3C, Compositing and Blending Level 1, https://www.w3.org/TR/compositing-1/: section 9 for the operators (they are
those of Porter and Duff, "Compositing Digital Images", SIGGRAPH 1984), section 10 for the blend modes, with its pseudo
code for the non-separable ones taken over line by line.
"""

from collections.abc import Sequence
from math import sqrt

Colour = tuple[float, float, float]
Pixel = tuple[float, float, float, float]

# (Fa, Fb) as functions of the alphas of source and backdrop: the table of Porter and Duff 1984, and "plus".
FRACTIONS = {
    "normal": lambda a, b: (1.0, 1.0 - a),
    "destination-in": lambda a, b: (0.0, a),
    "destination-out": lambda a, b: (0.0, 1.0 - a),
    "source-atop": lambda a, b: (b, 1.0 - a),
    "destination-atop": lambda a, b: (1.0 - b, a),
    "lighter": lambda a, b: (1.0, 1.0),
}


def lay(backdrop: Pixel, source: Pixel, mode: str) -> Pixel:
    """One straight pixel laid on another; alpha of 0 answers colour 0."""
    ab, as_ = backdrop[3], source[3]
    if mode in FRACTIONS:
        fa, fb = FRACTIONS[mode](as_, ab)
        alpha = min(1.0, as_ * fa + ab * fb)
        mixed = [min(1.0, as_ * fa * cs + ab * fb * cb) for cs, cb in zip(source[:3], backdrop[:3], strict=True)]
    else:
        # Cs = (1 - ab) x Cs + ab x B(Cb, Cs), then source-over: co = as x Cs + (1 - as) x ab x Cb
        blended = blend(mode, backdrop[:3], source[:3])
        alpha = as_ + ab * (1 - as_)
        mixed = [
            as_ * ((1 - ab) * cs + ab * b) + (1 - as_) * ab * cb
            for cs, cb, b in zip(source[:3], backdrop[:3], blended, strict=True)
        ]
    if alpha == 0:
        return (0.0, 0.0, 0.0, 0.0)
    red, green, blue = (min(1.0, value / alpha) for value in mixed)
    return (red, green, blue, alpha)


def blend(mode: str, cb: Sequence[float], cs: Sequence[float]) -> Colour:
    """B(Cb, Cs) of section 10."""
    backdrop, source = (cb[0], cb[1], cb[2]), (cs[0], cs[1], cs[2])
    if mode == "hue":
        return set_lum(set_sat(source, sat(backdrop)), lum(backdrop))
    if mode == "saturation":
        return set_lum(set_sat(backdrop, sat(source)), lum(backdrop))
    if mode == "color":
        return set_lum(source, lum(backdrop))
    if mode == "luminosity":
        return set_lum(backdrop, lum(source))
    red, green, blue = (separable(mode, b, s) for b, s in zip(backdrop, source, strict=True))
    return (red, green, blue)


def separable(mode: str, cb: float, cs: float) -> float:
    """Section 10.1, one component."""
    if mode == "multiply":
        return cb * cs
    if mode == "screen":
        return 1 - (1 - cb) * (1 - cs)
    if mode == "overlay":
        return separable("hard-light", cs, cb)
    if mode == "darken":
        return min(cb, cs)
    if mode == "lighten":
        return max(cb, cs)
    if mode == "color-dodge":
        return 0.0 if cb == 0 else 1.0 if cs == 1 else min(1.0, cb / (1 - cs))
    if mode == "color-burn":
        return 1.0 if cb == 1 else 0.0 if cs == 0 else 1 - min(1.0, (1 - cb) / cs)
    if mode == "hard-light":
        return separable("multiply", cb, 2 * cs) if cs <= 0.5 else separable("screen", cb, 2 * cs - 1)
    if mode == "soft-light":
        if cs <= 0.5:
            return cb - (1 - 2 * cs) * cb * (1 - cb)
        d = ((16 * cb - 12) * cb + 4) * cb if cb <= 0.25 else sqrt(cb)
        return cb + (2 * cs - 1) * (d - cb)
    if mode == "difference":
        return abs(cb - cs)
    if mode == "exclusion":
        return cb + cs - 2 * cb * cs
    raise KeyError(mode)


def lum(c: Colour) -> float:
    """Lum(C) of section 10.2."""
    return 0.3 * c[0] + 0.59 * c[1] + 0.11 * c[2]


def sat(c: Colour) -> float:
    """Sat(C) of section 10.2."""
    return max(c) - min(c)


def set_lum(c: Colour, level: float) -> Colour:
    """SetLum(C, l) with ClipColor(C) of section 10.2."""
    d = level - lum(c)
    c = (c[0] + d, c[1] + d, c[2] + d)
    at, low, high = lum(c), min(c), max(c)
    if low < 0:
        c = tuple(at + (value - at) * at / (at - low) for value in c)  # type: ignore[assignment]
    if high > 1:
        c = tuple(at + (value - at) * (1 - at) / (high - at) for value in c)  # type: ignore[assignment]
    return c


def set_sat(c: Colour, s: float) -> Colour:
    """SetSat(C, s) of section 10.2: components by size, the least to 0, the greatest to s."""
    order = sorted(range(3), key=lambda i: c[i])
    low, mid, high = order
    out = [0.0, 0.0, 0.0]
    if c[high] > c[low]:
        out[mid] = (c[mid] - c[low]) * s / (c[high] - c[low])
        out[high] = s
    return (out[0], out[1], out[2])
