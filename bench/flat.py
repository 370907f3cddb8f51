"""How many clicks the parts of flat pictures take (docs/decisions/picking.md has the table).

Pictures and their known parts are those of `known_parts`; those in ALL_JUDGING were not seen when measures were fitted.
Clicks go as in research on interactive segmentation ("number of clicks", NoC; N. Xu and others, "Deep interactive object
selection", CVPR 2016): the first on the deepest pixel of the part, each next one on the deepest pixel of the larger error, to add
or to take away. All of it goes through `./yuplet pick`. The boundary F-score is that of D. Martin, C. Fowlkes and J. Malik,
PAMI 26(5), 2004, with a tolerance of 2 px.
"""

import argparse
import json
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO

import cv2
import numpy as np
from known_parts import ALL_FITTING, ALL_JUDGING, Flat, deepest, flats
from measure import FOLDER, table
from numpy.typing import NDArray
from PIL import Image

from yuplet.pixels.oklab import to_oklab

MOST = 20
ENOUGH = 0.97
SEEN_STEP = 0.02
"""OKLab distance from which a border is seen."""


@dataclass(slots=True)
class Tried:
    """What clicks reached of one part: intersection over union after each, the boundary F-score at the end, seconds."""

    flat: str
    style: str
    part: str
    is_seen: bool
    overlaps: list[float] = field(default_factory=list)
    boundary: float = 0.0
    seconds: list[float] = field(default_factory=list)

    def after(self, clicks: int) -> float:
        return self.overlaps[min(clicks, len(self.overlaps)) - 1]

    def clicks_to(self, least: float) -> int:
        return next((number for number, one in enumerate(self.overlaps, 1) if one >= least), MOST)

    def never(self, least: float) -> bool:
        return max(self.overlaps) < least


@contextmanager
def picking(flat: Flat) -> Iterator[subprocess.Popen[str]]:
    """`./yuplet pick` at work on a picture."""
    with tempfile.TemporaryDirectory() as name:
        path = Path(name, "flat.png")
        Image.fromarray(flat.picture, "RGBA").save(path)
        command = [sys.executable, "-m", "yuplet", "pick", str(path), "--clicks", "-"]
        with subprocess.Popen(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:
            yield process
            if process.stdin:
                process.stdin.close()


def pick(
    process: subprocess.Popen[str], clicks: list[dict[str, object]], size: tuple[int, int]
) -> tuple[NDArray[np.bool_], float]:
    """What clicks take, and how long that took."""
    into: IO[str] | None = process.stdin
    out: IO[str] | None = process.stdout
    assert into is not None and out is not None
    into.write(json.dumps(clicks) + "\n")
    into.flush()
    said = json.loads(out.readline())
    flat = np.repeat(np.arange(len(said["rle"])) % 2 == 1, said["rle"])
    return flat.reshape(size), said["seconds"]


def tried(flat: Flat, most: int) -> list[Tried]:
    colours = to_oklab(flat.picture[..., :3])
    result = []
    with picking(flat) as process:
        for name, mask in flat.parts().items():
            one = Tried(flat.name, flat.style, name, is_seen(colours, mask))
            clicks: list[dict[str, object]] = []
            got = np.zeros_like(mask)
            while len(clicks) < most:
                lacking, extra = deepest(mask & ~got), deepest(got & ~mask)
                add = lacking[0] >= extra[0]
                _, x, y = lacking if add else extra
                clicks.append({"x": x, "y": y, "add": add})
                got, seconds = pick(process, clicks, mask.shape)
                one.overlaps.append(float((got & mask).sum() / (got | mask).sum()))
                one.seconds.append(seconds)
                if one.overlaps[-1] >= ENOUGH:
                    break
            one.boundary = boundary_score(got, mask)
            result.append(one)
    return result


def is_seen(colours: NDArray[np.float32], mask: NDArray[np.bool_]) -> bool:
    """Whether nine tenths of a part's border can be seen at all: colours differ within 3 px of it."""
    around = np.ones((7, 7), np.uint8)
    spread = np.sqrt(sum((cv2.dilate(one, around) - cv2.erode(one, around)) ** 2 for one in cv2.split(colours)))
    border = rim(mask)
    return bool((spread[border] >= SEEN_STEP).mean() >= 0.9) if border.any() else True


def rim(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The pixels of a mask beside which it ends; the picture's rim is no end."""
    inner = cv2.erode(mask.astype(np.uint8), cv2.getStructuringElement(cv2.MORPH_CROSS, (3, 3)), borderValue=1)
    return mask & (inner == 0)


def boundary_score(got: NDArray[np.bool_], mask: NDArray[np.bool_], tolerance: float = 2.0) -> float:
    """The harmonic mean of how much of each border lies within a tolerance of the other.

    >>> one = np.zeros((40, 40), bool); one[10:30, 10:30] = True
    >>> boundary_score(one, np.roll(one, 1, 1)), boundary_score(one, np.roll(one, 20, 1)) < 0.2
    (1.0, True)
    """
    one, other = rim(got), rim(mask)
    if not one.any() or not other.any():
        return float(one.any() == other.any())

    def within(what: NDArray[np.bool_], of: NDArray[np.bool_]) -> float:
        away = cv2.distanceTransform((~of).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
        return float((away[what] <= tolerance).mean())

    precision, recall = within(one, other), within(other, one)
    return 2 * precision * recall / max(precision + recall, 1e-9)


def row(name: str, all_tried: list[Tried]) -> list[str]:
    def mean(values: list[float]) -> str:
        return f"{np.mean(values):.2f}"

    return [
        name,
        str(len(all_tried)),
        *[f"{np.mean([one.after(clicks) for one in all_tried]):.3f}" for clicks in (1, 2, 3, 4)],
        *[mean([one.clicks_to(least) for one in all_tried]) for least in (0.90, 0.95, 0.97)],
        f"{np.mean([one.never(0.95) for one in all_tried]):.1%}",
        mean([one.boundary for one in all_tried]),
        f"{np.median([second for one in all_tried for second in one.seconds]) * 1000:.0f} ms",
    ]


def write_worst(all_tried: list[Tried], by_name: dict[str, Flat]) -> None:
    """The ten worst after two clicks, each beside its part."""
    worst = sorted(all_tried, key=lambda one: one.after(2))[:10]
    tiles = []
    for one in worst:
        flat = by_name[one.flat]
        seen = flat.picture[..., :3].copy()
        seen[~flat.parts()[one.part]] = seen[~flat.parts()[one.part]] // 4 + 180
        tiles.append(cv2.resize(np.hstack([flat.picture[..., :3], seen]), (480, 240), interpolation=cv2.INTER_AREA))
    sheet = np.vstack([np.hstack(tiles[index : index + 2]) for index in range(0, len(tiles) - 1, 2)])
    Image.fromarray(sheet).save(FOLDER / "worst.png")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--each", type=int, default=18, help="figures of a style; 18 meet every condition")
    parser.add_argument("--most", type=int, default=MOST, help="clicks at the most")
    parser.add_argument("--styles", nargs="*", default=ALL_JUDGING, choices=[*ALL_FITTING, *ALL_JUDGING])
    options = parser.parse_args()
    rows, everything = [], []
    by_name: dict[str, Flat] = {}
    for style in options.styles:
        own = []
        for flat in flats(style, options.each):
            own += tried(flat, options.most)
            by_name[flat.name] = flat
        rows.append(row(style, own))
        everything += own
    if len(options.styles) > 1:
        rows.append(row("all", everything))
        seen = [one for one in everything if one.is_seen]
        rows.append(row("whose outline is seen", seen))
    if len(everything) >= 10:
        write_worst(everything, by_name)
    heads = ["style", "parts", *[f"IoU, {clicks}" for clicks in (1, 2, 3, 4)]]
    heads += ["NoC@90", "@95", "@97", "never 95", "F, 2 px", "a click"]
    print(table("Clicks a part", heads, rows, "Parts of which less than 0.3 % is seen do not count; all others do."))


if __name__ == "__main__":
    main()
