"""Loose images lined up by a picture of the whole: the trimmed layers of Brindle, time and how many are found to the pixel, against decoding them."""

import shutil
import tempfile
import time
import zipfile
from pathlib import Path

import numpy as np
from measure import FOLDER, brindle, fastest, table

from yuplet.illustration.layers import Layer
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet.rehearsal.images import Decoded, decode
from yuplet.rehearsal.lining_up import propose
from yuplet.writing import png

AGREES = 8


def main() -> str:
    folder = FOLDER / "loose"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    with SpillFile() as scratch:
        read, _ = read_illustration(brindle(), scratch)
        layers = [layer for layer in read.leaves() if layer.box is not None]
        for layer in layers:
            (folder / f"{layer.id}.png").write_bytes(png.encode(scratch.whole(layer.id), "quick"))
    with zipfile.ZipFile(brindle()) as archive:
        (folder / "whole.png").write_bytes(archive.read("mergedimage.png"))
    with tempfile.TemporaryDirectory() as raw:
        decoding = fastest(lambda: _decoded(folder, layers, Path(raw)))
        images, whole = _decoded(folder, layers, Path(raw))
        began = time.perf_counter()
        proposals = propose(images, whole, lambda: None)
        taken = time.perf_counter() - began
        seen = {layer.id for layer in layers if _is_seen(images[layer.id], whole, layer)}
    boxes = {layer.id: layer.box for layer in layers}
    right = {
        one.file
        for one in proposals
        if one.laid is not None and (box := boxes[one.file]) is not None and (one.laid.x, one.laid.y) == box[:2]
    }
    sure = {one.file for one in proposals if one.certainty >= 0.9}
    rows = [
        ["decoding them and the whole, one after the other", f"{decoding:.2f} s", "1"],
        [f"proposing places of {len(images)} images, two threads", f"{taken:.1f} s", f"{taken / decoding:.1f}"],
        ["images of which at least half is seen as it is", f"{len(seen)}", ""],
        ["of these found to the pixel", f"{len(seen & right)}", ""],
        ["proposals of 90 % and more", f"{len(sure)}", ""],
        ["of these right to the pixel", f"{len(sure & right)}", ""],
    ]
    note = f"Brindle, {read.canvas.width} × {read.canvas.height} px; covered, hidden, soft and shaded layers are among the images."
    return table("Lining up loose images", ["what", "figure", "against decoding"], rows, note)


def _decoded(folder: Path, layers: list[Layer], raw: Path) -> tuple[dict[str, Decoded], Decoded]:
    images = {layer.id: decode(folder / f"{layer.id}.png", raw / f"{layer.id}.raw") for layer in layers}
    return images, decode(folder / "whole.png", raw / "whole.raw")


def _is_seen(image: Decoded, whole: Decoded, layer: Layer) -> bool:
    """Whether at least half of its opaque pixels are in the whole as they are."""
    assert layer.box is not None
    left, top, right, bottom = layer.box
    own = image.rows(0, image.height).astype(np.int16)
    under = whole.rows(top, bottom)[:, left:right].astype(np.int16)
    opaque = own[..., 3] >= 250
    same = np.abs(own - under).max(axis=2) <= AGREES
    return bool(opaque.any() and same[opaque].mean() >= 0.5)


if __name__ == "__main__":
    print(main())
