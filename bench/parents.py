"""How many parents that are proposed are right, on figures of open part sets (`known_parts` has their licences): the parts of a figure are drawn apart,
their groups are not told, and what carries all of them is known of each set.
"""

import argparse
import json
import re
from collections import Counter

import numpy as np
from known_parts import DRAWN, drawn_svg, sources_of
from lxml import etree
from measure import table

from yuplet.geometry import Box
from yuplet.rig.parent_inference import Shape, proposed_carriers

ROOTS = {
    "adventurer": "base", "big-ears": "face", "big-smile": "face", "croodles": "face", "lorelei": "head", "micah": "base", "notionists": "base",
    "open-peeps": "head",
}  # fmt: skip
"""What carries all others in each set."""
ALSO = {
    ("glasses", "eyes"), ("earrings", "ears"), ("earrings", "ear"), ("mustache", "mouth"), ("mustache", "nose"), ("frontHair", "hair"),
    ("sideburn", "hair"), ("accessories", "hair"), ("accessories", "eyes"), ("base", "body"),
}  # fmt: skip
"""What is right as well, and a head that a body carries."""
SIDE = 512
LEAST = 60
"""Pixels from which on a part counts."""


def shape(svg: str, part: str) -> Shape | None:
    """A part drawn alone; None where it is hardly anything."""
    root = etree.fromstring(svg.encode())
    whole = root.get("viewBox", "").split()[2:]
    for element in list(root.iter(*DRAWN)):
        is_within = any(one.tag.endswith("mask") for one in element.iterancestors())
        owner = next(
            (one.get("data-part") for one in [element, *element.iterancestors()] if one.get("data-part")), None
        )
        is_ground = [element.get("width"), element.get("height")] == whole
        if not is_within and (owner != part or is_ground):
            element.set("display", "none")
    alpha = drawn_svg(etree.tostring(root).decode(), SIDE)[..., 3]
    if (alpha >= 128).sum() < LEAST:
        return None
    rows, columns = np.nonzero(alpha)
    box = Box(int(columns.min()), int(rows.min()), int(columns.max()) + 1, int(rows.max()) + 1)
    return Shape(box, np.ascontiguousarray(alpha[box.top : box.bottom, box.left : box.right]), (), True)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--each", type=int, default=14, help="figures of a style")
    options = parser.parse_args()
    right, count, wrong = Counter[str](), Counter[str](), Counter[tuple[str, str, str]]()
    for style, root in ROOTS.items():
        for line in sources_of((style,)).splitlines()[: options.each]:
            svg = json.loads(line)["svg"]
            drawn = {name: shape(svg, name) for name in dict.fromkeys(re.findall(r'data-part="([^"]+)"', svg))}
            parts = {name: one for name, one in drawn.items() if one is not None}
            names = [*parts, "nothing"]
            for name, carrier in zip(parts, proposed_carriers([*parts.values()]), strict=True):
                found, wanted = names[-1 if carrier is None else carrier], "nothing" if name == root else root
                is_right = found == wanted or (name, found) in ALSO or (name == "body" and found == "nothing")
                count[style] += 1
                right[style] += is_right
                wrong[style, name, found] += not is_right
    lines = [(style, str(count[style]), f"{right[style] / count[style]:.3f}") for style in ROOTS]
    lines.append(("all", str(count.total()), f"{right.total() / count.total():.3f}"))
    most = ", ".join(f"{style}: {name} on {found} ({n})" for (style, name, found), n in wrong.most_common(8))
    heading = "Proposed parents, by style (`bench/parents.py`)"
    print(table(heading, ("style", "parts", "right parent"), lines, f"Most often wrong: {most}."))


if __name__ == "__main__":
    main()
