"""Packages for tests: handed over from the signal post, and changed by hand afterwards."""

import json
import runpy
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image

import signal_post
from yuplet.arrangement.tree import Arrangement, arrangement_of
from yuplet.geometry import Point
from yuplet.handover import HandOverReport, hand_over
from yuplet.pixels.spill_file import SpillFile
from yuplet.rehearsal.proof import Proof, prove
from yuplet.writing.pictures import Sources

READER = Path(__file__).resolve().parents[2] / "docs" / "formats" / "reader.py"
"""The reader that docs/formats gives to receivers; it has nothing of Yuplet."""
_read = runpy.run_path(str(READER))["read"]


def quiet(*_: object) -> None:
    """Progress that nobody looks at."""


class FolderTestCase(unittest.TestCase):
    """A test with a folder of its own that is gone afterwards."""

    def setUp(self) -> None:
        super().setUp()
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)


class PackageTestCase(FolderTestCase):
    """A test with the signal post handed over to `self.package`; its lamp turns about a pivot."""

    def setUp(self) -> None:
        super().setUp()
        self.package = self.folder / "package"
        self.scratch = SpillFile()
        self.addCleanup(self.scratch.__exit__)
        self.illustration = signal_post.signal_post(self.scratch)
        self.report = self.hand_over(with_pivot(arrangement_of(self.illustration)[0], "lamp", Point(47.5, 18.25)))

    def hand_over(self, arrangement: Arrangement, **options: Any) -> HandOverReport:
        sources = Sources(self.scratch)
        wanted = set(self.illustration.boxes)
        options.setdefault("digests", {layer: self.scratch.digest(layer) for layer in wanted})
        report = hand_over(self.illustration, arrangement, sources, self.package, "ab" * 32, quiet, **options)
        read_as_documented(self, self.package, report)
        return report

    def prove(self) -> Proof:
        return prove(self.package, quiet)

    def manifest(self) -> dict[str, Any]:
        return dict(json.loads((self.package / "manifest.json").read_text()))

    def rewrite(self, manifest: dict[str, Any]) -> None:
        (self.package / "manifest.json").write_text(json.dumps(manifest))

    def part(self, manifest: dict[str, Any], name: str) -> dict[str, Any]:
        return next(part for part in manifest["parts"] if part["name"] == name)

    def pixels(self, name: str) -> np.ndarray:
        return np.array(Image.open(self.package / name).convert("RGBA"))


def read_as_documented(case: unittest.TestCase, package: Path, report: HandOverReport) -> None:
    """Somebody who knows the documents alone finds the same differences as our proof, in every size."""
    main = json.loads((package / "manifest.json").read_text())
    for name in ("manifest.json", *(one["manifest"] for one in main["scales"])):
        _, (count, largest, mean), _ = _read(package, name)
        scale = json.loads((package / name).read_text())["scale"]
        ours = next(one for one in report.proof.comparisons if one.way == "places" and one.scale == scale)
        case.assertEqual(count, ours.differing_pixels, name)
        case.assertAlmostEqual(mean, ours.mean, 5, name)
        if ours.allowed_largest:
            case.assertAlmostEqual(largest, ours.largest, 2, name)


def with_pivot(arrangement: Arrangement, part: str, pivot: Point) -> Arrangement:
    """The arrangement with a pivot for one part."""
    return arrangement.changed(lambda row: replace(row, pivot=pivot) if row.id == part else row)  # type: ignore[call-arg]


def tree_node(nodes: list[dict[str, Any]], group: str) -> dict[str, Any]:
    """A group of a manifest's tree by its name, however deep."""
    for node in nodes:
        if node.get("group") == group:
            return node
        if "members" in node:
            try:
                return tree_node(node["members"], group)
            except KeyError:
                continue
    raise KeyError(group)
