"""The blend modes and compositing operators by the names that the W3C gives them.

Source: W3C, Compositing and Blending Level 1, https://www.w3.org/TR/compositing-1/ (sections 9 and 10).
The numbers are those that the kernels in `compositing` switch on.
"""

NORMAL, MULTIPLY, SCREEN, OVERLAY, DARKEN, LIGHTEN = range(6)
COLOR_DODGE, COLOR_BURN, HARD_LIGHT, SOFT_LIGHT, DIFFERENCE, EXCLUSION = range(6, 12)
HUE, SATURATION, COLOR, LUMINOSITY = range(12, 16)
LIGHTER, DESTINATION_IN, DESTINATION_OUT, SOURCE_ATOP, DESTINATION_ATOP = range(16, 21)

MODES: dict[str, int] = {
    "normal": NORMAL,
    "multiply": MULTIPLY,
    "screen": SCREEN,
    "overlay": OVERLAY,
    "darken": DARKEN,
    "lighten": LIGHTEN,
    "color-dodge": COLOR_DODGE,
    "color-burn": COLOR_BURN,
    "hard-light": HARD_LIGHT,
    "soft-light": SOFT_LIGHT,
    "difference": DIFFERENCE,
    "exclusion": EXCLUSION,
    "hue": HUE,
    "saturation": SATURATION,
    "color": COLOR,
    "luminosity": LUMINOSITY,
    "lighter": LIGHTER,
    "destination-in": DESTINATION_IN,
    "destination-out": DESTINATION_OUT,
    "source-atop": SOURCE_ATOP,
    "destination-atop": DESTINATION_ATOP,
}

CSS: dict[str, str] = {**{name: name for name, number in MODES.items() if number < LIGHTER}, "lighter": "plus-lighter"}
"""Those that elements of a page or of an SVG can have, and what CSS calls them (Compositing and Blending Level 2, `mix-blend-mode`)."""

CLEARING = frozenset({DESTINATION_IN, DESTINATION_ATOP})
"""Operators that also change the backdrop where the source is transparent, outside its box too."""
