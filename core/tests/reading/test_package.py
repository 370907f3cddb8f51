"""A package that is brought in again: as it was, with all that was decided (N96)."""

import json
import uuid
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import Any

from tests.packages import PackageTestCase, quiet, with_pivot
from tests.test_recipes import recipe
from yuplet.arrangement.commands import (
    Decide,
    MakeAlternates,
    ReadAsFrames,
    RenameRows,
    SetDepths,
    SetFits,
    SetJoints,
    SetRoles,
    ShowRows,
    apply,
)
from yuplet.arrangement.first import first_arrangement
from yuplet.arrangement.tree import Arrangement, PartGroup, arrangement_of
from yuplet.errors import BrokenFile
from yuplet.geometry import Point
from yuplet.handover import hand_over, hand_over_file
from yuplet.illustration.credit import Credit
from yuplet.illustration.layers import Illustration, ReadingReport
from yuplet.parts.part import Part
from yuplet.reading.files import compare_with_merged, read_illustration
from yuplet.reading.package import package_of
from yuplet.writing.pictures import Sources


def told(arrangement: Arrangement) -> list[tuple[Any, ...]]:
    """All that a package says of rows: not their ids."""
    rows: list[tuple[Any, ...]] = []
    names = {row.id: row.name for _, row in arrangement.walk()}
    for around, row in arrangement.walk():
        path = tuple(group.name for group in around)
        if isinstance(row, PartGroup):
            rows.append((path, row.name, row.shown, row.opacity, row.blend, row.isolated, row.alternate is not None))
        else:
            frames = [frame.milliseconds for frame in row.frames]
            state = (row.depth, row.role, row.margins, row.anchor, names.get(row.parent or ""))
            rows.append((path, row.name, row.shown, row.opacity, row.blend, row.pivot, frames, *state))
    return rows


class PackageAgainTests(PackageTestCase):
    def setUp(self) -> None:
        super().setUp()
        start = with_pivot(arrangement_of(self.illustration)[0], "lamp", Point(47.5, 18.25))
        steps = (
            RenameRows({"sky": "night"}), ShowRows({"mist": False}), ReadAsFrames(("marsh",)), MakeAlternates(("signal",)),
            SetJoints({"lamp": "mast", "arm": "mast"}), SetDepths({"sky": 900.0}), SetRoles({"sky": "ground"}),
            SetFits({"mast": (1, 2, 3, 4)}, {"mast": (0.5, 1.0)}), Decide({"travel": 40.0}),
        )  # fmt: skip
        for step in steps:
            start = apply(start, step)
        self.illustration = replace(
            self.illustration, credit=Credit("Ines Marsh", licence="CC-BY-4.0", attribution=True)
        )
        self.start = start
        self.uid = str(uuid.uuid4())
        self.package = self.folder / "again"
        hand_over(
            self.illustration, start, Sources(self.scratch), self.package, "ab" * 32, quiet, illustration_id=self.uid
        )

    def zipped(self, name: str = "post.zip", without: str = "", manifest: dict[str, Any] | None = None) -> Path:
        path = self.folder / name
        with zipfile.ZipFile(path, "w") as archive:
            for file in sorted(self.package.rglob("*")):
                entry = file.relative_to(self.package).as_posix()
                if file.is_file() and entry != without:
                    data = json.dumps(manifest).encode() if manifest and entry == "manifest.json" else file.read_bytes()
                    archive.writestr(entry, data)
        return path

    def read(self, path: Path) -> tuple[Illustration, ReadingReport]:
        return read_illustration(path, self.scratch)

    def test_names_groups_order_pivots_frames_and_credit_come_back(self) -> None:
        path = self.zipped()
        found, report = self.read(path)
        arrangement, renamed = first_arrangement(found)
        self.assertEqual(arrangement.decisions, self.start.decisions)
        # Empty parts have no file, so they are in no package.
        empty = {row.name for _, row in self.start.walk() if isinstance(row, Part) and row.name == "spare"}
        self.assertEqual(told(arrangement), [row for row in told(self.start.settled()) if row[1] not in empty])
        self.assertEqual(
            (renamed, found.canvas, found.credit), ([], self.illustration.canvas, self.illustration.credit)
        )
        self.assertEqual(package_of(path), uuid.UUID(self.uid))
        comparison = compare_with_merged(path, found, self.scratch)
        assert comparison is not None
        self.assertEqual(comparison.differing, 0)

    def test_handed_over_again_it_is_the_same_package(self) -> None:
        report, _, _ = hand_over_file(self.zipped("post at night.zip"), self.folder / "third", quiet)
        self.assertTrue(report.proof.ok, report.proof)
        for file in self.package.rglob("*.png"):
            other = self.folder / "third" / file.relative_to(self.package)
            self.assertEqual(other.read_bytes(), file.read_bytes(), file.name)

    def test_it_comes_back_however_its_images_are_kept(self) -> None:
        for said in (
            {"images": {"stored": "sheets"}, "sheets": {"turn": True, "spacing": 1}},
            {"images": {"format": "webp", "margin": 2, "moving": "apng"}},
            {"images": {"format": "tiff", "moving": "grid", "extent": "canvas"}},
        ):
            with self.subTest(said=said):
                by = recipe(**said)
                self.hand_over(self.start, recipe=by, remove_obsolete=True)
                path = self.zipped(f"by {len(str(said))}.zip")
                found, _ = self.read(path)
                arrangement, _ = first_arrangement(found)
                expected = [row for row in told(self.start.settled()) if row[1] != "spare"]
                self.assertEqual(told(arrangement), expected)
                comparison = compare_with_merged(path, found, self.scratch)
                assert comparison is not None
                self.assertEqual(comparison.differing, 0)

    def test_what_a_package_lacks_is_named(self) -> None:
        with self.assertRaisesRegex(BrokenFile, "lacks 'parts/night.png'"):
            self.read(self.zipped(without="parts/night.png"))
        for change, words in (({"tree": None}, "lacks something"), ({"parts": [{}]}, "'id' is a required property")):
            with self.subTest(change), self.assertRaisesRegex(BrokenFile, words):
                self.read(self.zipped(manifest={**self.manifest(), **change}))

    def test_other_archives_are_no_packages(self) -> None:
        self.assertIsNone(package_of(self.zipped(manifest={"format": "something else"})))
        (self.folder / "x.zip").write_bytes(b"no archive")
        self.assertIsNone(package_of(self.folder / "x.zip"))
