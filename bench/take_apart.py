"""Selecting and taking out against the plain library call that does most of the work, on the tin inspector drawn larger.

Also how well the proposals meet the parts of open figures whose parts are known.
"""

import sys
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import get_args

import cv2
import numpy as np
from measure import FOLDER, ROOT, fastest, table
from numpy.typing import NDArray
from PIL import Image

from yuplet.derivation.content import Content
from yuplet.derivation.cutting import cut_out, label_map
from yuplet.derivation.extending import grow_under
from yuplet.errors import NothingThere
from yuplet.geometry import Box
from yuplet.pixels import Picture
from yuplet.pixels.filling import fill
from yuplet.selecting.colour_distance import distances
from yuplet.selecting.marking import between_marks, of_brush
from yuplet.selecting.masks import distance_to, softened
from yuplet.selecting.proposals import Proposals, propose
from yuplet.selecting.regions import Line, inside_lines, islands, of_colour

sys.path[:0] = [str(ROOT / "demo"), str(ROOT / "core")]
import tin_inspector  # noqa: E402
from tests.selecting.test_proposals import FIGURES, flattened, is_filled, overlap  # noqa: E402

SIDES = (2048, 4096)
LIKE = 8
"""CIEDE2000 up to which two colours are taken for the same here."""


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
    inside = [(0.46 * side, 0.55 * side), (0.5 * side, 0.65 * side)]
    outside = [(0.05 * side, 0.1 * side), (0.05 * side, 0.9 * side), (0.95 * side, 0.9 * side)]
    marks = np.zeros((side, side), np.int32)
    marks[of_brush(inside, side / 60, 1, side, side) > 0] = 1
    marks[of_brush(outside, side / 60, 1, side, side) > 0] = 2
    small = np.hypot(columns - side / 2, rows - side / 2) < 0.04 * side
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
        "scribble": (
            lambda: between_marks(art, [inside], [outside], side / 60),
            lambda: cv2.watershed(lab, marks.copy()),
            "watershed",
        ),
        "fill behind, painted": (
            lambda: fill(emptied, small, "painted"),
            lambda: cv2.inpaint(lab, small.astype(np.uint8), 3, cv2.INPAINT_TELEA),
            "inpainting",
        ),
        "grow under": (lambda: grow_under(Content(box, emptied), side // 100, disc), distance, "distance transform"),
        "take out, hard": (
            lambda: cut_out(Content(box, art), label_map(art, [hard]), "flat"),
            distance,
            "distance transform",
        ),
        "take out, soft": (
            lambda: cut_out(Content(box, art), label_map(art, [soft]), "flat", soft),
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
    """The best overlap of each visible part with any proposal, and with what two clicks choose; what is filled behind it."""
    rows, filled, clicked = [], [], []
    for path in sorted(Path(FIGURES).glob("*.svg")):
        art, truth = flattened(path)
        began = time.perf_counter()
        found = propose(art)
        took = time.perf_counter() - began
        tried = {name: overlap(found, mask) for name, mask in truth.items() if is_filled(mask)}
        clicks = {name: two_clicks(art, found, truth[name]) for name in tried}
        left_out = [name for name, mask in truth.items() if not is_filled(mask)]
        filled += tried.values()
        clicked += clicks.values()
        rows.append(
            [
                path.stem,
                ", ".join(f"{name} {value:.2f}, {clicks[name]:.2f}" for name, value in tried.items()),
                ", ".join(left_out) or "none",
                f"{took * 1000:.0f} ms",
            ]
        )
    means = f"{np.mean(filled):.2f}, {np.mean(clicked):.2f} ({len(filled)} parts)"
    rows.append(["mean of all", means, "", ""])
    first = table(
        "Proposals and the parts of open figures",
        [
            "figure, 512²",
            "intersection over union with the visible pixels: best proposal, two clicks",
            "left out",
            "time",
        ],
        rows,
        "Figures of core/tests/golden/world/figures laid flat on a plain ground. Left out are parts that are seen in several pieces"
        " or that are lines: no one region can be those, and they are joined by clicks. Two clicks: the first on the deepest visible"
        " point of the part, the second on the deepest of what is still missing or too much, with Shift or with Alt; each with the"
        " tool and the numbers that do most.",
    )
    return f"{first}\n{behind()}"


def two_clicks(art: Picture, found: Proposals, truth: NDArray[np.bool_]) -> float:
    """The overlap with a part that two clicks reach, each on the deepest point of what is still to be done."""
    chosen = np.zeros_like(truth)
    for _ in range(2):
        lacking, extra = truth & ~chosen, chosen & ~truth
        depths = [float(distance_to(~one).max()) if one.any() else 0.0 for one in (lacking, extra)]
        is_lacking = depths[0] >= depths[1]
        target = lacking if is_lacking else extra
        if not target.any():
            break
        y, x = np.unravel_index(int(distance_to(~target).argmax()), truth.shape)
        best, reached = chosen, share(chosen, truth)
        for region in regions_at(art, found, (int(x), int(y))):
            after = chosen | region if is_lacking else chosen & ~region
            if share(after, truth) > reached:
                best, reached = after, share(after, truth)
        chosen = best
    return share(chosen, truth)


def regions_at(art: Picture, found: Proposals, at: tuple[int, int]) -> Iterator[NDArray[np.bool_]]:
    """What one click can choose: a proposal at any place of the slider, what is inside the lines, the same colour."""
    x, y = at
    for regions in range(1, min(found.count, 200) + 1):
        labels = found.at(regions)
        yield labels == labels[y, x]
    for line in get_args(Line):
        for gap in (2.0, 6.0):
            with suppress(NothingThere):
                yield inside_lines(art, at, gap, 40, line)
    for distance in (4.0, 8.0, 16.0):
        yield of_colour(art, at, distance, True)


def share(one: NDArray[np.bool_], other: NDArray[np.bool_]) -> float:
    """Intersection over union."""
    return float((one & other).sum() / max(int((one | other).sum()), 1))


def behind() -> str:
    """How much of what is filled in behind a part is as the truth beneath it."""
    rows = []
    for path in sorted(Path(FIGURES).glob("*.svg")):
        art, truth = flattened(path)
        for name, mask in truth.items():
            if not is_filled(mask):
                continue
            beneath, _ = flattened(path, without=name)
            hole = cv2.dilate(mask.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
            shares = []
            for how in ("flat", "painted"):
                filled = fill(np.where(hole[..., None], 0, art).astype(np.uint8), hole, how)  # type: ignore[arg-type]
                away = colour_away(filled, beneath)
                shares.append(f"{(away[mask] <= LIKE).mean():.2f}")
            rows.append([path.stem, name, *shares])
    return table(
        "Filling behind parts of open figures",
        ["figure, 512²", "part taken away", "nearest colours", "inpainting"],
        rows,
        f"The share of the part's pixels at which the filling is within CIEDE2000 {LIKE} of what the figure has beneath it; features"
        " that are hidden altogether cannot be known.",
    )


def colour_away(one: Picture, other: Picture) -> NDArray[np.float64]:
    """CIEDE2000 between the pixels of two pictures."""
    result = np.zeros(one.shape[:2])
    colours, kind = np.unique(other[..., :3].reshape(-1, 3), axis=0, return_inverse=True)
    for index, (red, green, blue) in enumerate(colours):
        where = kind.reshape(result.shape) == index
        result[where] = distances(one[where][None], (int(red), int(green), int(blue)))[0]
    return result


if __name__ == "__main__":
    print(main())
