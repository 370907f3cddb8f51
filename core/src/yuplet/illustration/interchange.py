"""What reading and writing files share. Source of what concerns OpenRaster: the OpenRaster specification, https://www.openraster.org/."""

MIMETYPE = b"image/openraster"

MAX_LAYERS = 2_000
"""Layers and groups that a file of any kind may have."""

# The operators of the specification's table, and the W3C's names for them.
BLEND_OF_OPERATOR = {
    "svg:src-over": "normal",
    "svg:multiply": "multiply",
    "svg:screen": "screen",
    "svg:overlay": "overlay",
    "svg:darken": "darken",
    "svg:lighten": "lighten",
    "svg:color-dodge": "color-dodge",
    "svg:color-burn": "color-burn",
    "svg:hard-light": "hard-light",
    "svg:soft-light": "soft-light",
    "svg:difference": "difference",
    "svg:exclusion": "exclusion",
    "svg:color": "color",
    "svg:luminosity": "luminosity",
    "svg:hue": "hue",
    "svg:saturation": "saturation",
    "svg:plus": "lighter",
    "svg:dst-in": "destination-in",
    "svg:dst-out": "destination-out",
    "svg:src-atop": "source-atop",
    "svg:dst-atop": "destination-atop",
}
OPERATOR_OF_BLEND = {blend: operator for operator, blend in BLEND_OF_OPERATOR.items()}
