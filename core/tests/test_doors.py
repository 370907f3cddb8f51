"""Paths and documents from outside, at every door of the core."""

import csv
import json
import os
import re
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

from hypothesis import given
from hypothesis import strategies as st

from tests.bad_paths import BAD
from tests.packages import PackageTestCase, quiet
from tests.test_recipes import recipe
from yuplet import documents
from yuplet.arrangement.commands import RenameRows, apply
from yuplet.arrangement.records import to_json
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import (
    ArrangementNotUnderstood,
    FolderNotOurs,
    PackageError,
    RecipeNotUnderstood,
    UnsafeFile,
    UnsafePath,
    YupletError,
)
from yuplet.handover import hand_over, hand_over_file
from yuplet.paths import PackagePath, is_plain, leaves, plain, within
from yuplet.plan.recipe import from_json as recipe_from_json
from yuplet.reading import archives
from yuplet.rehearsal.proof import prove
from yuplet.writing.pictures import Sources
from yuplet.writing.stores import MemoryStore, StagedFolder


class PathTests(unittest.TestCase):
    def test_there_are_enough_bad_ones(self) -> None:
        self.assertGreaterEqual(len(set(BAD)), 60)

    def test_bad_ones_are_refused_by_the_type_with_a_sentence(self) -> None:
        for path in (*BAD, None, 3, b"a", ["a"]):
            with self.subTest(path=path), self.assertRaises(UnsafePath) as caught:
                PackagePath(path)
            self.assertTrue(str(caught.exception).isprintable())
            self.assertLess(len(str(caught.exception)), 500)

    def test_good_ones_are_texts_as_before(self) -> None:
        for path in ("parts/lamp.png", "manifest.json", "parts/Mütze/1.png", "a..b/c-d_e (2).webp", "n" * 255):
            self.assertEqual((PackagePath(path), json.dumps(PackagePath(path))), (path, json.dumps(path)))

    @given(st.text(alphabet=st.sampled_from("ab./\\: \0c"), max_size=12))
    def test_what_is_taken_stays_in_its_folder(self, text: str) -> None:
        """Against the system's own idea of paths."""
        try:
            path = PackagePath(text)
        except UnsafePath:
            return
        whole = os.path.normpath(f"/root/{path}")
        self.assertTrue(whole.startswith("/root/"))
        self.assertEqual(whole, f"/root/{path}")

    def test_no_link_is_followed_out_of_a_folder(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            root, outside = Path(folder, "root"), Path(folder, "outside")
            root.mkdir()
            outside.mkdir()
            (root / "out").symlink_to(outside)
            (root / "file").symlink_to(outside / "file")
            for path in ("out", "out/x.png", "file"):
                with self.subTest(path), self.assertRaisesRegex(UnsafePath, "is a link"):
                    within(root, PackagePath(path))
            self.assertEqual(within(root, PackagePath("a/b")), root / "a" / "b")

    def test_stores_take_nothing_else(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            for path in BAD:
                with self.subTest(path), StagedFolder(Path(folder, "package")) as store:
                    for one in (store, MemoryStore()):
                        with self.assertRaises(UnsafePath):
                            one.write(path, b"x")  # type: ignore[arg-type]
                    with self.assertRaises(UnsafePath):
                        store.keep(path)  # type: ignore[arg-type]
            self.assertEqual(list(Path(folder).iterdir()), [])

    def test_titles_show_all_of_themselves(self) -> None:
        self.assertEqual(plain("a\nb\0c\u202ed"), "a bcd")
        self.assertTrue(is_plain("Brindle \U0001f9a1\u200d"))


class DocumentTests(unittest.TestCase):
    def refused(self, data: bytes | str, words: str) -> None:
        with self.assertRaisesRegex(ValueError, words):
            documents.parsed(data, 1000)

    def test_what_json_does_not_have(self) -> None:
        self.refused(b'{"a": Infinity}', "Infinity")
        self.refused(b'["\\uD800"]', "half of a letter")
        self.refused('["\ud800"]', "UTF-8|half of a letter")
        self.refused(b"\xff\xfe\xfa", "UTF-8|not JSON")
        self.refused(b'{"a": 1', "line 1")
        self.refused(b"[" * 900, "nested more than 200")
        self.refused(b" " * 1001, "larger than")
        self.refused(b"", "not JSON")
        self.refused(b"[" + b"9" * 900 + b"e" + b"9" * 50, "not JSON|line 1")

    def test_brackets_in_texts_are_no_nesting(self) -> None:
        self.assertEqual(documents.parsed(json.dumps(["[" * 300 + '"\\' + "{"])), ["[" * 300 + '"\\' + "{"])

    def test_a_text_without_its_end_is_told_at_once(self) -> None:
        with self.assertRaises(ValueError):
            documents.parsed(b"[" * 101 + b'"' + b'\\"' * 500_000)

    @given(
        st.recursive(
            st.none()
            | st.booleans()
            | st.integers()
            | st.floats(allow_nan=False, allow_infinity=False)
            | st.text(alphabet=st.characters(exclude_categories=["Cs"])),
            lambda inner: (
                st.lists(inner) | st.dictionaries(st.text(alphabet=st.characters(exclude_categories=["Cs"])), inner)
            ),
            max_leaves=20,
        )
    )
    def test_everything_else_is_read_as_the_standard_library_does(self, value: Any) -> None:
        self.assertEqual(documents.parsed(json.dumps(value), 1 << 20), value)


class DoorTests(PackageTestCase):
    def test_recipes_name_no_folder_elsewhere(self) -> None:
        for path in BAD:
            with self.subTest(path), self.assertRaises(RecipeNotUnderstood):
                recipe_from_json({"format": "yuplet-recipe", "version": 1, "name": "a", "names": {"folder": path}})
            with self.subTest(combination=path), self.assertRaises(RecipeNotUnderstood):
                combination = {"combinations": [{"name": path}]}
                recipe_from_json({"format": "yuplet-recipe", "version": 1, "name": "a", "beside": combination})

    def test_texts_of_names_lead_nowhere(self) -> None:
        """Pieces of names are free texts, of which usable names are made."""
        for text in (path for path in BAD if path and len(path) <= 60 and "\ud800" not in path):
            with self.subTest(text):
                by = recipe(names={"pieces": [{"text": text}, {"piece": "part"}]})
                self.hand_over(arrangement_of(self.illustration)[0], recipe=by, remove_obsolete=True)
                self.assertTrue(self.prove().ok)
                self.assertEqual([path.name for path in self.package.parent.iterdir() if path.name.startswith(".")], [])

    def test_a_path_that_becomes_too_long_is_told_in_the_plan(self) -> None:
        by = recipe(names={"folder": "/".join(["n" * 19] * 3)})
        arrangement = arrangement_of(self.illustration)[0]
        self.hand_over(arrangement, recipe=by)
        with self.assertRaisesRegex(YupletError, "longer than 900 bytes"):
            from yuplet.plan.plan import plan_hand_over
            from yuplet.plan.recipe import Names, Recipe

            plan_hand_over(
                self.illustration, arrangement, recipe=Recipe(names=Names(folder="/".join(["n" * 100] * 10)))
            ).require_no_errors()

    def test_manifests_that_name_files_elsewhere_are_refused_by_whoever_reads_them(self) -> None:
        places: tuple[Any, ...] = (
            lambda m, path: m["parts"][0].update(file=path),
            lambda m, path: m["reference"].update(file=path),
            lambda m, path: m["table"].update(file=path),
            lambda m, path: m.update(scales=[{"manifest": path, "scale": 2, "sha256": "0" * 64, "bytes": 1}]),
        )
        good = self.manifest()
        for number, place in enumerate(places):
            for path in BAD:
                manifest = json.loads(json.dumps(good))
                place(manifest, path)
                self.rewrite(manifest)
                with self.subTest(place=number, path=path):
                    with self.assertRaises(PackageError):
                        prove(self.package, quiet)
                    with self.assertRaises(FolderNotOurs):
                        self.again()
        self.rewrite(good)
        self.again()

    def again(self) -> None:
        hand_over(
            self.illustration,
            arrangement_of(self.illustration)[0],
            Sources(self.scratch),
            self.package,
            "ab" * 32,
            quiet,
        )

    def test_a_link_in_a_package_is_not_ours(self) -> None:
        victim = self.folder / "victim.txt"
        victim.write_text("precious")
        file = next(self.package.rglob("*.png"))
        file.unlink()
        file.symlink_to(victim)
        with self.assertRaises(FolderNotOurs):
            self.again()
        self.assertEqual(victim.read_text(), "precious")
        self.assertIn(file.relative_to(self.package).as_posix(), self.prove().missing)

    def test_what_comes_into_the_folder_meanwhile_is_not_overwritten(self) -> None:
        part = self.part(self.manifest(), "lamp")["file"].replace("parts/", "new/")

        def progress(stage: str, done: int, total: int) -> None:
            if stage == "prove" and done == 0:
                (self.package / part).parent.mkdir(exist_ok=True, parents=True)
                (self.package / part).write_text("precious")

        by = recipe(names={"folder": "new"})
        with self.assertRaises(FolderNotOurs):
            hand_over(
                self.illustration, arrangement_of(self.illustration)[0], Sources(self.scratch), self.package, "ab" * 32, progress, recipe=by
            )  # fmt: skip
        self.assertEqual((self.package / part).read_text(), "precious")

    def test_no_cell_of_a_table_is_computed_by_a_spreadsheet(self) -> None:
        names = ("=HYPERLINK(1)", "+1", "-2+3", "@SUM(1)", "'quoted")
        parts = [part.id for _, part in arrangement_of(self.illustration)[0].parts()]
        arrangement = apply(arrangement_of(self.illustration)[0], RenameRows(dict(zip(parts, names, strict=False))))
        self.hand_over(arrangement, recipe=recipe(beside={"places": [{"format": "csv"}]}), remove_obsolete=True)
        for table in ("places.csv", "places-top-left-down.csv"):
            with (self.package / table).open(newline="") as file:
                rows = list(csv.DictReader(file))
            texts = [value for row in rows for value in row.values() if not re.fullmatch(r"-?[\d.]+", value)]
            self.assertEqual([text for text in texts if text[:1] in tuple("=+-@")], [])
            told = {row["name"].rsplit("/", 1)[-1] for row in rows}
            self.assertIn("'=HYPERLINK(1)", told)
            if table == "places.csv":  # in the other one, a name has its groups in front
                self.assertIn("''quoted", told)

    def test_what_a_killed_run_left_beside_the_folder_is_cleared(self) -> None:
        left, other = self.folder / ".package.yuplet-abcd1234", self.folder / ".package.yuplet-notes"
        for folder in (left, other):
            folder.mkdir()
            (folder / "x.png").write_bytes(b"x")
        self.again()
        self.assertEqual((left.exists(), other.exists()), (False, True))

    def test_entries_of_archives_that_leave_it_are_refused(self) -> None:
        for path in (path for path in BAD if leaves(path) and "\0" not in path):
            with zipfile.ZipFile(self.folder / "a.zip", "w") as archive:
                archive.writestr("a.png", b"x")
                archive.writestr(path, b"x")
            with self.subTest(path), self.assertRaises(UnsafeFile), archives.opened(self.folder / "a.zip", "a.zip"):
                pass

    def test_no_lock_is_left(self) -> None:
        self.again()
        self.assertEqual([path.name for path in self.package.parent.iterdir() if "lock" in path.name], [])

    def test_documents_on_the_command_line(self) -> None:
        source = self.folder / "a.ora"
        from yuplet.writing.openraster import write

        write(source, self.illustration, self.scratch)
        good = to_json(arrangement_of(self.illustration)[0])
        changes: dict[str, Any] = {
            "a part without frames": lambda d: next(r for r in d["rows"] if r["kind"] == "part").update(frames=[]),
            "an unknown mode": lambda d: d["rows"][0].update(blend="sparkle"),
            "a name that is none": lambda d: d["rows"][0].update(name=7),
            "a group that is not there": lambda d: d["rows"][0].update(group="nowhere"),
            "a group in itself": lambda d: next(r for r in d["rows"] if r["kind"] == "group").update(
                group=next(r for r in d["rows"] if r["kind"] == "group")["id"]
            ),
            "an offset without end": lambda d: d["rows"][0].update(offset=[10**30, 0]),
            "two of one id": lambda d: d["rows"].append(dict(d["rows"][0])),
        }
        for what, change in changes.items():
            bad = json.loads(json.dumps(good))
            change(bad)
            with self.subTest(what), self.assertRaises(ArrangementNotUnderstood):
                hand_over_file(source, self.folder / "out", quiet, given=bad)
