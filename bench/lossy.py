"""By how much a picture differs that is put together again from what cannot be exact: lossy formats by their quality, and scales.

Art: Brindle (ours), and the figures of core/tests/golden/world/figures (open; their licences are beside them). Four opaque pictures of ours, two of them painted;
JPEG, which has no transparency, those alone. The two numbers are those that a recipe's `tolerance` is about: the largest difference of a level, and the mean over
all pixels and channels.
"""

import sys
import tempfile
from pathlib import Path
from typing import Any

from known_parts import painted
from measure import FOLDER, ROOT, brindle, table
from PIL import Image

import yuplet

sys.path.insert(0, str(ROOT / "demo"))
import tin_inspector  # noqa: E402

FIGURES = ROOT / "core" / "tests" / "golden" / "world" / "figures"
QUALITIES = (30, 50, 70, 80, 90, 95, 100)
FORMATS = ("webp", "avif", "jpeg")
SCALES = (0.25, 0.5, 0.75, 1.5, 2.0)


def differences(file: Path, images: dict[str, Any], scale: float = 1.0) -> tuple[float, float]:
    """The largest and the mean difference of the main comparison."""
    said = {
        "format": "yuplet-recipe",
        "version": 1,
        "name": "lossy",
        "images": images,
        "scales": [{"factor": scale}],
        "tolerance": {"largest": 255, "mean": 255},
    }
    with tempfile.TemporaryDirectory() as name, yuplet.open(file) as work:
        report = work.hand_over(Path(name) / "package", recipe=said)
        (main, *_) = report.proof.comparisons
        return main.largest, main.mean


def main() -> None:
    layered = [brindle(), *sorted(FIGURES.glob("*.svg"))]
    opaque = [FOLDER / "tin-inspector.png", ROOT / "core" / "tests" / "golden" / "flat" / "figure14.png"]
    tin_inspector.write(opaque[0])
    for number, one in enumerate(painted()):
        opaque.append(FOLDER / f"painted-{number}.png")
        Image.fromarray(one.picture, "RGBA").save(opaque[-1])
    rows = []
    settings = [
        ({"format": kind, "lossless": False, "quality": quality}, 1.0) for kind in FORMATS for quality in QUALITIES
    ]
    settings += [({"format": "png"}, scale) for scale in SCALES]
    for images, scale in settings:
        art = opaque if images["format"] == "jpeg" else [*layered, *opaque]
        found = [differences(file, images, scale) for file in art]
        name = f"{images['format']} {images['quality']}" if "quality" in images else f"scale {scale:g}"
        means, largest = sorted(mean for _, mean in found), sorted(most for most, _ in found)
        middle = len(found) // 2
        rows.append([name, f"{means[middle]:.2f}", f"{means[-1]:.2f}", f"{largest[middle]:.0f}", f"{largest[-1]:.0f}"])
    heads = ["", "mean, median of all art", "mean, most", "largest, median", "largest, most"]
    print(table("Differences of what is not exact", heads, rows, "Levels of 255."))


if __name__ == "__main__":
    main()
