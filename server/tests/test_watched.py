"""What is watched on the server's machine: when it counts as saved, and what is taken of it."""

import hashlib
import itertools
import os
import tempfile
import time
import zipfile
from pathlib import Path
from unittest import mock

from django.test import SimpleTestCase
from PIL import Image

from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet_server.base.errors import NotNow
from yuplet_server.handovers import watched


class WatchedTests(SimpleTestCase):
    def setUp(self) -> None:
        self.root = Path(self.enterContext(tempfile.TemporaryDirectory())).resolve()
        self.folder = self.root / "pieces"
        for name, shade in (("arm.png", 10), ("lamp/glass.png", 20), ("lamp/foot.png", 30)):
            self.paint(name, shade)

    def paint(self, name: str, shade: int) -> None:
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        Image.new("RGBA", (20, 20), (shade, 2, 3, 255)).save(path)

    def archive(self) -> bytes:
        with watched.opened(self.folder) as (name, size, content):
            data = content.read()
        self.assertEqual((name, size), ("pieces.zip", len(data)))
        return data

    def test_every_save_in_a_folder_is_seen(self) -> None:
        stamps = [watched.stamp_of(self.folder)]
        for change in (
            lambda: self.paint("arm.png", 99),
            lambda: self.paint("lamp/new.png", 1),
            lambda: (self.folder / "lamp/new.png").rename(self.folder / "lamp/other.png"),
            lambda: (self.folder / "lamp/other.png").unlink(),
            lambda: os.utime(self.folder / "arm.png", (1, 1)),
        ):
            change()
            stamps.append(watched.stamp_of(self.folder))
        for before, after in itertools.pairwise(stamps):
            self.assertNotEqual(before, after)
        self.assertEqual(watched.stamp_of(self.folder), stamps[-1])

    def test_what_is_hidden_or_a_link_is_no_part_of_it(self) -> None:
        before, stamp = self.archive(), watched.stamp_of(self.folder)
        self.paint(".arm.png", 1)
        self.paint(".cache/arm.png", 1)
        (self.folder / "way out.png").symlink_to("/etc/hostname")
        (self.folder / "way out").symlink_to("/etc")
        self.assertEqual(watched.stamp_of(self.folder), stamp)
        self.assertEqual(self.archive(), before)

    def test_a_folder_is_quiet_some_time_after_its_last_save(self) -> None:
        self.assertFalse(watched.is_quiet(self.folder))
        long_ago = time.time() - watched.QUIET - 1
        for path in self.folder.rglob("*.png"):
            os.utime(path, (long_ago, long_ago))
        self.assertTrue(watched.is_quiet(self.folder))
        self.paint("lamp/glass.png", 21)
        self.assertFalse(watched.is_quiet(self.folder))
        empty = self.root / "empty"
        empty.mkdir()
        self.assertFalse(watched.is_quiet(empty), "nothing is there yet")
        (self.root / "new.ora").touch()
        self.assertFalse(watched.is_quiet(self.root / "new.ora"), "it has only been begun")

    def test_the_same_images_make_the_same_archive_and_it_is_read_as_parts(self) -> None:
        first = self.archive()
        for path in self.folder.rglob("*.png"):
            os.utime(path, (7, 7))
        self.assertEqual(hashlib.sha256(self.archive()).digest(), hashlib.sha256(first).digest())
        file = self.root / "pieces.zip"
        file.write_bytes(first)
        with zipfile.ZipFile(file) as archive:
            self.assertEqual(archive.namelist(), ["pieces/arm.png", "pieces/lamp/foot.png", "pieces/lamp/glass.png"])
        with SpillFile() as scratch:
            read, _ = read_illustration(file, scratch)
            self.assertEqual(
                {path for path, _ in read.walk()}, {("arm",), ("lamp",), ("lamp", "foot"), ("lamp", "glass")}
            )

    def test_more_files_than_may_be_open_at_once(self) -> None:
        picture = (self.folder / "arm.png").read_bytes()
        for number in range(300):
            (self.folder / f"{number}.png").write_bytes(picture)
            (self.folder / f"{number}.txt").write_text("no picture, so it is left out")
        held: list[int] = []
        plain = watched.packed

        def counted(files: object, together: str) -> object:
            def each() -> object:
                for one in files:  # type: ignore[attr-defined]
                    held.append(sum(1 for _ in Path("/proc/self/fd").iterdir()))
                    yield one

            return plain(each(), together)  # type: ignore[arg-type]

        with mock.patch.object(watched, "packed", counted):
            self.archive()
        self.assertEqual(len(held), 303)
        self.assertLess(max(held) - min(held), 10)

    def test_what_is_too_much_is_said(self) -> None:
        with mock.patch.object(watched, "MOST", 2), self.assertRaisesRegex(NotNow, "holds 3 files; up to 2 are read"):
            watched.require_there(self.folder, None)
        with mock.patch.object(watched, "MAX_UPLOAD", 100), self.assertRaisesRegex(NotNow, "is larger than"):
            watched.stamp_of(self.folder)

    def test_packages_do_not_go_where_they_would_be_a_change(self) -> None:
        for target in (self.folder, self.folder / "out" / "deep", self.root):
            with self.subTest(target), self.assertRaisesRegex(NotNow, "lie within each other"):
                watched.require_there(self.folder, target)
        watched.require_there(self.folder, self.root / "pieces out")
        file = self.folder / "arm.png"
        watched.require_there(file, self.root / "game")
        with self.assertRaisesRegex(NotNow, "no file and no folder"):
            watched.require_there(self.root / "nothing", None)
