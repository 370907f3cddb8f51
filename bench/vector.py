"""Vector art of 2 000 shapes, drawn shape by shape, against drawing the document once; and matching the layers of a revision."""

import random

import numpy as np
import resvg
from measure import FOLDER, fastest, table
from resvg import usvg

from yuplet.geometry import Box
from yuplet.illustration.matching import LayerFingerprint, match_layers
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration

SHAPES, SIDE, LAYERS, SEED = 2_000, 2_048, 100, 2026


def drawing() -> str:
    """Blobs of a few per cent of the canvas each, every fourth with a gradient, every tenth half-transparent."""
    rng = random.Random(SEED)
    shapes = []
    for number in range(SHAPES):
        x, y, r = rng.uniform(0, SIDE), rng.uniform(0, SIDE), rng.uniform(8, 90)
        fill = "url(#g)" if number % 4 == 0 else f"#{rng.randrange(1 << 24):06x}"
        opacity = ' opacity="0.5"' if number % 10 == 0 else ""
        path = f"M{x:.1f} {y - r:.1f} C{x + r:.1f} {y - r:.1f} {x + r:.1f} {y + r:.1f} {x:.1f} {y + r:.1f} S{x - r:.1f} {y:.1f} {x:.1f} {y - r:.1f} Z"
        shapes.append(f'<path d="{path}" fill="{fill}"{opacity}/>')
    gradient = '<linearGradient id="g"><stop stop-color="#fa0"/><stop offset="1" stop-color="#05a"/></linearGradient>'
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{SIDE}" height="{SIDE}"><defs>{gradient}</defs>'
        f"{''.join(shapes)}</svg>"
    )


def looks() -> tuple[list[LayerFingerprint], list[LayerFingerprint]]:
    """A hundred layers, and the same with new names, half of them repainted and moved: the hardest case there is."""
    rng = np.random.default_rng(SEED)
    old, new = [], []
    for number in range(LAYERS):
        small = np.kron(rng.integers(0, 256, (9, 9, 4), dtype=np.uint8), np.ones((8, 8, 1), np.uint8))
        x, y = (int(value) for value in rng.integers(0, 3000, 2))
        old.append(
            LayerFingerprint(
                f"o{number}", ("figure", f"part {number}"), Box(x, y, x + 400, y + 300), f"{number}", small
            )
        )
        after = np.clip(small.astype(np.int16) + rng.integers(-20, 20), 0, 255).astype(np.uint8)
        print_of = f"{number}" if number % 2 else f"new {number}"
        box = Box(x + 9, y + 4, x + 409, y + 304)
        new.append(LayerFingerprint(f"n{number}", ("badger", f"layer {number}"), box, print_of, after))
    return old, new


def main() -> str:
    file = FOLDER / "two thousand.svg"
    FOLDER.mkdir(parents=True, exist_ok=True)
    text = drawing()
    file.write_text(text)

    def once() -> None:
        tree = usvg.Tree.from_str(text, usvg.Options.default())
        resvg.render(tree, (1.0, 0.0, 0.0, 0.0, 1.0, 0.0))

    def bring_in() -> None:
        with SpillFile() as scratch:
            read_illustration(file, scratch)

    old, new = looks()
    found = {match.new: match.old for match in match_layers(old, new) if match.new and match.old}
    right = sum(found.get(f"n{number}") == f"o{number}" for number in range(LAYERS))
    whole, shapes = fastest(once), fastest(bring_in, 1)
    matching = fastest(lambda: match_layers(old, new))
    rows = [
        ["2,000 shapes on 2048², each alone / the document once", f"{shapes / whole:.0f}"],
        ["of that, each shape in ms", f"{shapes / SHAPES * 1000:.1f} ms"],
        ["matching 100 renamed, half repainted layers / drawing the document once", f"{matching / whole:.2f}"],
        ["of 100 matched rightly", f"{right}"],
    ]
    note = "Shapes that cannot touch each other are drawn in one go, where each may lie is told from its numbers; kept as RGBA."
    return table("Vector art and revisions", ["what", "figure"], rows, note)


if __name__ == "__main__":
    print(main())
