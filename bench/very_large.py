"""A hand-over of 5,000 parts on a canvas of 15,800 px square, as large as Yuplet takes it, against saving the parts with a common library.

.venv/bin/python bench/very_large.py
"""

import resource
import shutil
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from art import SEED, flat, grainy, soft
from measure import FOLDER, table
from PIL import Image

from yuplet.arrangement.tree import arrangement_of
from yuplet.geometry import Size
from yuplet.handover import hand_over
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.writing.pictures import Sources

PARTS, SIDE = 5_000, 15_800
OUT = FOLDER / "very large"


def made(scratch: SpillFile) -> Illustration:
    """Parts of 80 to 520 px a side, everywhere on the canvas, in groups of a hundred."""
    rng = np.random.default_rng(SEED)
    drawings = [draw(rng, *map(int, rng.integers(80, 520, 2))) for draw in (flat, soft, grainy) * 60]
    layers = []
    for number in range(PARTS):
        picture = drawings[int(rng.integers(0, len(drawings)))].copy()
        picture[..., 0] ^= np.uint8(number % 7)
        content = content_box(picture)
        assert content is not None
        left, top = (int(rng.integers(0, SIDE - side)) for side in picture.shape[1::-1])
        scratch.put(f"l{number}", cut(picture, content))
        layers.append(Layer(f"l{number}", f"layer {number + 1:04}", content.moved(left, top)))
    groups = tuple(
        LayerGroup(f"g{at}", f"group {at // 100 + 1}", tuple(layers[at : at + 100])) for at in range(0, PARTS, 100)
    )
    return Illustration("very large", Size(SIDE, SIDE), groups)


def plainly(illustration: Illustration, scratch: SpillFile, folder: Path) -> None:
    """Save each part and nothing else, in two threads."""

    def save(layer: str) -> None:
        Image.fromarray(scratch.whole(layer)).save(folder / f"{layer}.png")

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(save, illustration.boxes))


def main() -> str:
    """The table."""
    rows = []
    with SpillFile() as scratch, tempfile.TemporaryDirectory() as folder:
        illustration = made(scratch)
        began = time.perf_counter()
        plainly(illustration, scratch, Path(folder))
        plain = time.perf_counter() - began
        digests = {layer: scratch.digest(layer) for layer in illustration.boxes}
        shutil.rmtree(OUT, ignore_errors=True)
        for name in ("all of it", "nothing changed"):
            began = time.perf_counter()
            arrangement, _ = arrangement_of(illustration)
            report = hand_over(illustration, arrangement, Sources(scratch), OUT, "", lambda *_: None, digests=digests)
            taken = time.perf_counter() - began
            assert report.proof.ok
            peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
            rows.append([name, f"{taken:.0f} s", f"{taken / plain:.2f}", f"{peak:.0f} MiB"])
    shutil.rmtree(OUT, ignore_errors=True)
    note = f"5,000 parts on 15,800² px with the reference picture, manifest and proof; saving the parts alone with Pillow by two threads ({plain:.0f} s) = 1."
    return table("Very large", ["hand-over", "time", "saving the parts = 1", "most memory"], rows, note)


if __name__ == "__main__":
    print(main())
