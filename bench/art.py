"""Bench art with a fixed seed: flat cartoon shapes, soft gradients and grainy paint in thirds, as an OpenRaster file.

.venv/bin/python bench/art.py OUT.ora [--layers 60] [--side 4096]
"""

import argparse
from pathlib import Path

import cv2
import numpy as np

from yuplet.geometry import Size
from yuplet.illustration.layers import Illustration, Layer, LayerGroup
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.writing import openraster

SEED = 2026


def flat(rng: np.random.Generator, width: int, height: int) -> Picture:
    """A cartoon shape: a few flat colours with antialiased borders and a dark outline."""
    picture = np.zeros((height, width, 4), np.uint8)
    for _ in range(6):
        points = rng.uniform(0.02, 0.98, (9, 2)) * (width, height)
        colour = (*rng.integers(30, 240, 3).tolist(), 255)
        hull = cv2.convexHull(points.astype(np.int32))
        cv2.fillPoly(picture, [hull], colour, cv2.LINE_AA)
        cv2.polylines(picture, [hull], True, (40, 30, 50, 255), max(2, width // 160), cv2.LINE_AA)
    return picture


def soft(rng: np.random.Generator, width: int, height: int) -> Picture:
    """An ellipse with a soft border and a linear colour gradient."""
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    radius = np.hypot((x / width - 0.5) * 2, (y / height - 0.5) * 2)
    t = (x / width * rng.uniform(0.3, 1) + y / height * rng.uniform(0.3, 1))[..., None] / 2
    a, b = rng.uniform(0, 255, 3), rng.uniform(0, 255, 3)
    alpha = np.clip((1 - radius) * 3, 0, 1)[..., None] * 255
    return np.concatenate([a * (1 - t) + b * t, alpha], axis=2).astype(np.uint8)


def grainy(rng: np.random.Generator, width: int, height: int) -> Picture:
    """A flat shape with paint grain on top."""
    picture = flat(rng, width, height)
    noise = rng.normal(0, 9, (height, width, 1)).astype(np.float32)
    picture[..., :3] = np.clip(picture[..., :3] + noise, 0, 255).astype(np.uint8)
    return picture


def make(path: Path, layers: int, side: int) -> None:
    """Draw the layers one by one (boxes of 5 to 70 % of the canvas, about 30 in the median) and write the file."""
    rng = np.random.default_rng(SEED)
    nodes: list[Layer] = []
    with SpillFile() as scratch:
        for number in range(layers):
            share = float(np.clip(rng.lognormal(np.log(0.30), 0.55), 0.05, 0.70))
            aspect = rng.uniform(0.7, 1.4)
            width = min(side, round(side * (share * aspect) ** 0.5))
            height = min(side, round(side * (share / aspect) ** 0.5))
            picture = (flat, soft, grainy)[number % 3](rng, width, height)
            content = content_box(picture)
            assert content is not None
            left, top = int(rng.integers(0, side - width + 1)), int(rng.integers(0, side - height + 1))
            scratch.put(f"l{number}", cut(picture, content))
            nodes.append(
                Layer(
                    f"l{number}",
                    f"layer {number + 1:03}",
                    content.moved(left, top),
                    opacity=0.9 if number % 10 == 9 else 1.0,
                )
            )
        groups = tuple(
            LayerGroup(f"g{start}", f"group {start // 10 + 1}", tuple(nodes[start : start + 10]))
            for start in range(0, layers, 10)
        )
        openraster.write(path, Illustration(path.stem, Size(side, side), groups), scratch)


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("out", type=Path)
    parser.add_argument("--layers", type=int, default=60)
    parser.add_argument("--side", type=int, default=4096)
    options = parser.parse_args()
    make(options.out, options.layers, options.side)
