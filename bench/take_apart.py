"""Selecting and taking out against the plain library call that does most of the work, on the tin inspector drawn larger.

Also how well the proposals meet the parts of open figures whose parts are known.
"""

import sys
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
from measure import FOLDER, ROOT, fastest, table
from PIL import Image

from yuplet.geometry import Box
from yuplet.parts.cutting import owners, take_out
from yuplet.parts.making import Content
from yuplet.pixels import Picture
from yuplet.pixels.filling import fill
from yuplet.selecting.masks import softened
from yuplet.selecting.proposals import propose
from yuplet.selecting.regions import inside_lines, islands, of_colour

sys.path[:0] = [str(ROOT / "demo"), str(ROOT / "core")]
import tin_inspector  # noqa: E402
from tests.selecting.test_proposals import FIGURES, flattened, is_filled, overlap  # noqa: E402

SIDES = (2048, 4096)


def picture(side: int) -> Picture:
    """The tin inspector, its longer side so long, on a square ground."""
    path = FOLDER / "tin inspector.png"
    if not path.exists():
        FOLDER.mkdir(parents=True, exist_ok=True)
        tin_inspector.write(path)
    image = Image.open(path).convert("RGBA")
    square = Image.new("RGBA", (max(image.size),) * 2, image.getpixel((2, 2)))
    square.paste(image, ((max(image.size) - image.width) // 2, 0))
    return np.array(square.resize((side, side), Image.Resampling.LANCZOS))


def works(art: Picture) -> dict[str, tuple[Callable[[], object], Callable[[], object], str]]:
    """What is done, the library call beside it, and what that is called."""
    side = art.shape[0]
    box = Box(0, 0, side, side)
    at = (round(0.3 * side), round(0.05 * side))
    coat = (round(0.46 * side), round(0.62 * side))
    rows, columns = np.mgrid[:side, :side]
    disc = np.hypot(columns - side / 2, rows - side / 2) < 0.12 * side
    soft = softened(disc, 4)
    hard = np.where(disc, 255, 0).astype(np.uint8)
    grey = np.ascontiguousarray(art[..., 0])
    lab = np.ascontiguousarray(art[..., :3])
    emptied = np.where(disc[..., None], 0, art).astype(np.uint8)

    def distance() -> object:
        return cv2.distanceTransform(hard, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)

    def components() -> object:
        return cv2.connectedComponents((grey > 128).astype(np.uint8), connectivity=8)

    return {
        "same colour": (
            lambda: of_colour(art, at, 8, True),
            lambda: cv2.cvtColor(lab, cv2.COLOR_RGB2LAB),
            "conversion to CIELAB",
        ),
        "islands": (lambda: islands(art), components, "connected components"),
        "inside the lines": (lambda: inside_lines(art, coat, 6, 20, "part"), distance, "distance transform"),
        "proposals": (lambda: propose(art), components, "connected components"),
        "fill behind, flat": (lambda: fill(emptied, disc, "flat"), distance, "distance transform"),
        "take out, hard": (
            lambda: take_out(Content(box, art), owners(art, [hard]), "flat"),
            distance,
            "distance transform",
        ),
        "take out, soft": (
            lambda: take_out(Content(box, art), owners(art, [soft]), "flat", soft),
            distance,
            "distance transform",
        ),
    }


def main() -> str:
    rows = []
    for side in SIDES:
        for name, (ours, theirs, call) in works(picture(side)).items():
            ours()
            took, plain = fastest(ours), fastest(theirs)
            rows.append([f"{name}, {side}²", call, f"{took / plain:.0f}", f"{took * 1000:.0f} ms"])
    times = table(
        "Taking apart",
        ["what", "beside", "ratio", "time"],
        rows,
        "The tin inspector on a square; one thread. From a gesture to its outline on the page decoding is added once, and the way"
        " to the server and back.",
    )
    return f"{times}\n{figures()}"


def figures() -> str:
    """The best overlap of each visible part with any proposal."""
    rows, filled = [], []
    for path in sorted(Path(FIGURES).glob("*.svg")):
        art, truth = flattened(path)
        began = time.perf_counter()
        found = propose(art)
        took = time.perf_counter() - began
        tried = {name: overlap(found, mask) for name, mask in truth.items() if is_filled(mask)}
        left_out = [name for name, mask in truth.items() if not is_filled(mask)]
        filled += tried.values()
        rows.append(
            [
                path.stem,
                ", ".join(f"{name} {value:.2f}" for name, value in tried.items()),
                ", ".join(left_out) or "none",
                f"{took * 1000:.0f} ms",
            ]
        )
    rows.append(["mean of all", f"{np.mean(filled):.2f} ({len(filled)} parts)", "", ""])
    return table(
        "Proposals and the parts of open figures",
        ["figure, 512²", "best intersection over union with the visible pixels", "left out", "time"],
        rows,
        "Figures of core/tests/golden/world/figures laid flat on a plain ground. Left out are parts that are seen in several pieces"
        " or that are lines: no one region can be those, and they are joined by clicks.",
    )


if __name__ == "__main__":
    print(main())
