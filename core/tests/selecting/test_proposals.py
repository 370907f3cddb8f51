"""Proposals for flat art: nested, whole, and the same every time; parts of open figures are among them."""

import unittest
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
from PIL import Image, ImageDraw

from yuplet.errors import NothingThere
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, composite_tree
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.choices import Choices
from yuplet.reading.files import read_illustration
from yuplet.selecting.proposals import Proposals, propose

FIGURES = Path(__file__).parents[1] / "golden" / "world" / "figures"
CREAM, RED, BLUE, SKIN, INK = (240, 228, 200), (190, 50, 40), (40, 70, 170), (230, 180, 150), (20, 18, 24)


def toy() -> Picture:
    """A face with two eyes over a coat with a button, both with dark lines around them; drawn large and made smaller."""
    image = Image.new("RGB", (800, 800), CREAM)
    draw = ImageDraw.Draw(image)
    draw.rectangle((200, 400, 600, 740), RED, INK, 16)
    draw.ellipse((360, 520, 440, 600), BLUE, INK, 16)
    draw.ellipse((250, 100, 550, 420), SKIN, INK, 16)
    for left in (320, 440):
        draw.ellipse((left, 210, left + 40, 250), INK)
    return np.array(image.resize((200, 200), Image.Resampling.BOX).convert("RGBA"))


class ProposalTests(unittest.TestCase):
    def test_each_part_of_a_flat_picture_is_proposed(self) -> None:
        found = propose(toy())
        places = {"ground": (5, 5), "coat": (60, 120), "button": (100, 140), "face": (100, 80), "eye": (84, 57)}
        fine = found.at(99)
        self.assertLessEqual(found.count, 10)
        self.assertEqual(len({fine[y, x] for x, y in places.values()}), 5)
        button = np.argwhere(fine == fine[140, 100])
        self.assertTrue((np.abs(button.mean(axis=0) - (140, 100)) < 2).all(), "the line around it goes along")

    def test_coarser_regions_are_made_of_finer_ones(self) -> None:
        found = propose(toy())
        finer = found.at(found.count)
        for regions in range(found.count - 1, 0, -1):
            coarser = found.at(regions)
            pairs = np.unique(finer.astype(np.int64) * 10_000 + coarser)
            self.assertEqual(len(pairs), int(finer.max()), "each finer one lies in one coarser one")
            self.assertEqual(int(coarser.max()), regions)
            finer = coarser

    def test_the_ground_is_merged_last_and_is_no_part(self) -> None:
        found = propose(toy())
        two = found.at(2)
        self.assertEqual(len({int(two[y, x]) for x, y in ((60, 120), (100, 140), (100, 80))}), 1)
        self.assertNotEqual(two[5, 5], two[120, 60])
        parts = found.parts_at(2)
        self.assertEqual((parts[5, 5], parts[120, 60]), (0, 1))

    def test_it_is_the_same_every_time(self) -> None:
        one, other = propose(toy()), propose(toy())
        np.testing.assert_array_equal(one.labels, other.labels)
        self.assertEqual(one.parents, other.parents)

    def test_transparent_art_and_nothing(self) -> None:
        picture = toy()
        picture[:, :40] = 0
        labels = propose(picture).labels
        np.testing.assert_array_equal(labels > 0, picture[..., 3] > 0)
        with self.assertRaisesRegex(NothingThere, "nothing to divide"):
            propose(np.zeros((9, 9, 4), np.uint8))
        self.assertEqual(propose(np.full((9, 9, 4), 255, np.uint8)).count, 1)

    def test_parts_of_open_figures_are_among_the_proposals(self) -> None:
        """Figures whose parts are known (core/tests/golden/world/figures), laid flat: filled parts in one piece."""
        best = []
        for path in sorted(FIGURES.glob("*.svg")):
            picture, truth = flattened(path)
            found = propose(picture)
            best += [overlap(found, mask) for mask in truth.values() if is_filled(mask)]
        self.assertGreaterEqual(len(best), 12)
        self.assertGreater(float(np.mean(best)), 0.8)


def flattened(path: Path, side: int = 512, without: str | None = None) -> tuple[Picture, dict[str, np.ndarray]]:
    """A figure, or all of it but one part, on a plain ground, and what is visible of each of its named parts."""
    with SpillFile() as scratch:
        found, _ = read_illustration(path, scratch, choices=Choices(side))
        found = replace(found, layers=_but(found.layers, without))
        flat = compose(composite_tree(found.layers), found.canvas, scratch)
        owner, names = _owners(found, scratch)
    alpha = flat[..., 3:] / 255
    picture = np.full_like(flat, 255)
    picture[..., :3] = np.round(flat[..., :3] * alpha + np.array([226, 214, 190]) * (1 - alpha))
    return picture, {name: owner == number for number, name in enumerate(names, 1)}


def _but(nodes: tuple[LayerNode, ...], name: str | None) -> tuple[LayerNode, ...]:
    return tuple(
        replace(node, members=_but(node.members, name)) if isinstance(node, LayerGroup) else node
        for node in nodes
        if node.name != name
    )


def _owners(found: Illustration, scratch: SpillFile) -> tuple[np.ndarray, list[str]]:
    owner = np.zeros((found.canvas.height, found.canvas.width), np.int32)
    names: list[str] = []

    def lay(nodes: tuple[LayerNode, ...], name: str) -> None:
        for node in nodes:
            if isinstance(node, LayerGroup):
                lay(node.members, name if node.name.startswith("group ") else node.name)
            elif isinstance(node, Layer) and node.box is not None:
                if name not in names:
                    names.append(name)
                box = node.box
                there = scratch.whole(node.id)[..., 3] >= 128
                owner[box.top : box.bottom, box.left : box.right][there] = names.index(name) + 1

    lay(found.layers, "figure")
    return owner, names


def is_filled(mask: np.ndarray) -> bool:
    """Whether a part is seen in one piece and is more than lines: most of it is left when 2 px are taken from its border."""
    count, _, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=8)
    if count < 2:
        return False
    inner = cv2.erode(mask.astype(np.uint8), np.ones((5, 5), np.uint8))
    return bool(stats[1:, 4].max() >= 0.9 * mask.sum() and inner.sum() >= 0.5 * mask.sum() and mask.sum() >= 60)


def overlap(found: Proposals, mask: np.ndarray) -> float:
    """The best intersection over union of a part with any region of the tree."""
    total = len(found.parents)
    inside = np.bincount(found.labels.ravel(), mask.ravel(), total)
    size = np.bincount(found.labels.ravel(), minlength=total).astype(float)
    for region in range(1, total):
        parent = found.parents[region]
        if parent != region:
            inside[parent] += inside[region]
            size[parent] += size[region]
    return float((inside / (mask.sum() + size - inside))[1:].max())
