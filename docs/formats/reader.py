"""A reader of packages, to learn from and to copy: it puts the picture together as manifest.md says, and compares it with the reference.

    python reader.py FOLDER [MANIFEST] [--out PICTURE.png]

It needs numpy and Pillow, for packages of 16 bits a channel OpenCV too (Pillow rounds them), and nothing of Yuplet. MIT.
"""

import argparse
import json
from pathlib import Path, PurePosixPath

import numpy as np
from PIL import Image

NEARLY_HALF = 0.5 - 1e-6  # "Rounding": within 1e-6 of a half counts as a half, and halves go up


def straight(folder, entry, most):
    """The image of a part or a frame as RGBA from 0 to `most`: of a file, a place on a sheet, or a moment of an animated image."""
    path = PurePosixPath(entry["file"])
    if path.is_absolute() or ".." in path.parts:
        raise ValueError(f"{path} is not inside the package")
    pixels = words(folder / path) if most == 65535 else None
    if pixels is None:
        with Image.open(folder / path) as image:
            image.seek(entry.get("moment") or 0)
            pixels = np.array(image.convert("RGBA")).astype(int) * (most // 255)
    place = entry.get("within")
    if place:
        width, height = (place["height"], place["width"]) if place["turned"] else (place["width"], place["height"])
        pixels = pixels[place["y"] : place["y"] + height, place["x"] : place["x"] + width]
        pixels = np.rot90(pixels) if place["turned"] else pixels  # it lies there turned clockwise: back again
    return pixels


def words(path):
    """An image of 16 bits a channel as RGBA; None for one in which 8 say all."""
    import cv2

    found = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    return cv2.cvtColor(found, cv2.COLOR_BGRA2RGBA).astype(int) if found.dtype == np.uint16 else None


def laid(folder, part, canvas, most):
    """A part alone on the canvas, (H, W, 4) float64, colour times alpha."""
    pixels = straight(folder, part, most)
    if part["turn"]["mirrored"]:
        pixels = pixels[:, ::-1]
    pixels = np.rot90(pixels, -part["turn"]["quarters"])  # clockwise
    box = part["box"]
    if pixels.shape[:2] != (box["height"], box["width"]):
        raise ValueError(f"{part['file']} is not as large as the box of {part['name']}")
    left, top = max(box["x"], 0), max(box["y"], 0)  # a box may reach beyond the canvas
    right, bottom = min(box["x"] + box["width"], canvas[1]), min(box["y"] + box["height"], canvas[0])
    whole = np.zeros((*canvas, 4))
    if left < right and top < bottom:
        inside = pixels[top - box["y"] : bottom - box["y"], left - box["x"] : right - box["x"]] / most
        inside[..., 3] *= part["opacity"]
        inside[..., :3] *= inside[..., 3:]
        whole[top:bottom, left:right] = inside
    return whole


def put_together(manifest, folder):
    """The whole picture, (H, W, 4) float64, colour times alpha."""
    canvas = (manifest["canvas"]["height"], manifest["canvas"]["width"])
    parts, most = {part["id"]: part for part in manifest["parts"]}, levels(manifest)

    def lay_all(entries, under):
        for entry in entries:
            if not entry["shown"]:
                continue
            if "part" in entry:
                part = parts[entry["part"]]
                under = lay(under, laid(folder, part, canvas, most), part["blend"])
            elif entry["isolated"] or entry["opacity"] < 1 or entry["blend"] != "normal":
                members = lay_all(entry["members"], np.zeros((*canvas, 4)))
                under = lay(under, members * entry["opacity"], entry["blend"])
            else:
                under = lay_all(entry["members"], under)
        return under

    picture = lay_all(manifest["tree"], np.zeros((*canvas, 4)))
    ground = manifest["reference"]["ground"]
    return picture if ground is None else lay(np.full((*canvas, 4), [*(one / 255 for one in ground), 1.0]), picture)


def lay(under, over, mode="normal"):
    """W3C Compositing and Blending Level 1 on the whole canvas, for `destination-in` and `destination-atop` act outside of the part too."""
    a, b = over[..., 3:], under[..., 3:]
    if mode in OPERATORS:
        fa, fb = OPERATORS[mode](a, b)
        return np.minimum(over * fa + under * fb, 1)
    cs, cb = unmultiplied(over), unmultiplied(under)
    colour = over[..., :3] * (1 - b) + under[..., :3] * (1 - a) + a * b * BLENDS[mode](cb, cs)
    return np.concatenate([colour, a + b - a * b], axis=2)


def unmultiplied(picture):
    alpha = picture[..., 3:]
    return np.divide(picture[..., :3], alpha, out=np.zeros_like(picture[..., :3]), where=alpha > 0)


def levels(manifest):
    """The largest value of a channel."""
    return 65535 if manifest.get("bits", 8) == 16 else 255


def rounded(picture, most=255):
    """As straight RGBA from 0 to `most`; where alpha is 0, colour is 0."""
    whole = np.concatenate([np.minimum(unmultiplied(picture), 1), picture[..., 3:]], axis=2)
    whole = np.floor(whole * most + 1 - NEARLY_HALF).astype(int)
    whole[whole[..., 3] == 0] = 0
    return whole


def differences(picture, reference, most=255):
    """How many pixels are not the same in all four channels; and of colour weighted by alpha the largest difference and the mean, in levels of 255."""
    weights = [
        np.concatenate([one[..., :3] * (one[..., 3:] / most), one[..., 3:]], axis=2) for one in (picture, reference)
    ]
    apart = np.abs(weights[0] - weights[1]) * 255 / most
    return int((picture != reference).any(axis=2).sum()), float(apart.max(initial=0)), float(apart.mean())


OPERATORS = {  # by their fractions of what is laid and of what is under it; a and b are their alphas
    "normal": lambda a, b: (1, 1 - a),
    "lighter": lambda a, b: (1, 1),
    "destination-in": lambda a, b: (0, a),
    "destination-out": lambda a, b: (0, 1 - a),
    "source-atop": lambda a, b: (b, 1 - a),
    "destination-atop": lambda a, b: (1 - b, a),
}


def divided(one, other):
    return np.divide(one, other, out=np.full(np.broadcast(one, other).shape, np.inf), where=other > 0)


def hard_light(cb, cs):
    return np.where(cs <= 0.5, 2 * cs * cb, 1 - (1 - cb) * (2 - 2 * cs))


def soft_light(cb, cs):
    d = np.where(cb <= 0.25, ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
    return np.where(cs <= 0.5, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (d - cb))


def luminosity(c):
    return (c * [0.3, 0.59, 0.11]).sum(axis=2, keepdims=True)


def saturation(c):
    return c.max(axis=2, keepdims=True) - c.min(axis=2, keepdims=True)


def with_luminosity(c, wanted):
    c = c + (wanted - luminosity(c))
    level, low, high = luminosity(c), c.min(axis=2, keepdims=True), c.max(axis=2, keepdims=True)
    c = np.where(low < 0, level + (c - level) * level / np.maximum(level - low, 1e-12), c)
    return np.where(high > 1, level + (c - level) * (1 - level) / np.maximum(high - level, 1e-12), c)


def with_saturation(c, wanted):
    return (c - c.min(axis=2, keepdims=True)) * wanted / np.where(saturation(c) > 0, saturation(c), 1)


BLENDS = {  # cb is the colour under, cs the colour that is laid; neither is multiplied
    "multiply": lambda cb, cs: cb * cs,
    "screen": lambda cb, cs: cb + cs - cb * cs,
    "overlay": lambda cb, cs: hard_light(cs, cb),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": lambda cb, cs: np.where(cb == 0, 0, np.minimum(1, divided(cb, 1 - cs))),
    "color-burn": lambda cb, cs: np.where(cb >= 1, 1, 1 - np.minimum(1, divided(1 - cb, cs))),
    "hard-light": hard_light,
    "soft-light": soft_light,
    "difference": lambda cb, cs: np.abs(cb - cs),
    "exclusion": lambda cb, cs: cb + cs - 2 * cb * cs,
    "hue": lambda cb, cs: with_luminosity(with_saturation(cs, saturation(cb)), luminosity(cb)),
    "saturation": lambda cb, cs: with_luminosity(with_saturation(cb, saturation(cs)), luminosity(cb)),
    "color": lambda cb, cs: with_luminosity(cs, luminosity(cb)),
    "luminosity": lambda cb, cs: with_luminosity(cb, luminosity(cs)),
}


def read(folder, name="manifest.json"):
    """The picture of a package as RGBA, by how much it differs from the reference, and by how much it may."""
    folder = Path(folder)
    manifest = json.loads((folder / name).read_text("utf-8"))
    most = levels(manifest)
    picture = rounded(put_together(manifest, folder), most)
    reference = straight(folder, manifest["reference"], most)
    return picture, differences(picture, reference, most), manifest["tolerance"]


def main():
    parser = argparse.ArgumentParser(
        description="Put the picture of a package together and compare it with its reference."
    )
    parser.add_argument("folder")
    parser.add_argument("manifest", nargs="?", default="manifest.json")
    parser.add_argument("--out", help="write the picture as a PNG")
    options = parser.parse_args()
    picture, (count, largest, mean), allowed = read(options.folder, options.manifest)
    if options.out:
        plain = np.round(
            picture * 255 / levels(json.loads((Path(options.folder) / options.manifest).read_text("utf-8")))
        )
        Image.fromarray(plain.astype(np.uint8), "RGBA").save(options.out)  # Pillow writes 8 bits
    print(f"{count} pixels differ; by at most {largest:.1f} levels, {mean:.4f} on the mean; allowed: {allowed}")
    is_right = count == 0 if allowed["largest"] == 0 else largest <= allowed["largest"] and mean <= allowed["mean"]
    raise SystemExit(0 if is_right else 1)


if __name__ == "__main__":
    main()
