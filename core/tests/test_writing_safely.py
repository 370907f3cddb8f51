"""What may go wrong while a package is written: nothing is half written, and the former package stays whole."""

import errno
import os
import tempfile
import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any
from unittest import mock

import numpy as np

from tests.packages import PackageTestCase, quiet
from yuplet.arrangement.tree import arrangement_of
from yuplet.errors import Cancelled, FolderBusy, WriteError
from yuplet.handover import hand_over, hand_over_file
from yuplet.writing.openraster import write
from yuplet.writing.pictures import Sources
from yuplet.writing.stores import alone_in


class WritingSafelyTests(PackageTestCase):
    def state(self) -> dict[Path, tuple[bytes, int]]:
        files = (path for path in self.folder.rglob("*") if path.is_file())
        return {path: (path.read_bytes(), path.stat().st_mtime_ns) for path in files}

    def repaint(self) -> None:
        lamp = self.scratch.whole("lamp")
        lamp[..., 2] ^= 77
        self.scratch.put("lamp", lamp)

    def again(self, **options: object) -> None:
        self.hand_over(arrangement_of(self.illustration)[0], **options)

    def again_with(self, progress: Callable[[str, int, int], None]) -> None:
        arrangement = arrangement_of(self.illustration)[0]
        hand_over(self.illustration, arrangement, Sources(self.scratch), self.package, "ab" * 32, progress)

    def assert_refused(self, said: str) -> None:
        """It is refused with these words, and everything in the folder is as it was, to the byte and to the time."""
        before = self.state()
        with self.assertRaisesRegex(WriteError, said):
            self.again()
        self.assertEqual(self.state(), before)
        self.assertTrue(self.prove().ok)

    def test_a_disk_that_becomes_full_at_any_file(self) -> None:
        self.repaint()
        plain = Path.write_bytes
        for fails_at in range(3):
            count = iter(range(100))

            def written(path: Path, data: bytes, count: object = count, fails_at: int = fails_at) -> int:
                if next(count) == fails_at:  # type: ignore[call-overload]
                    raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
                return plain(path, data)

            with self.subTest(fails_at), mock.patch.object(Path, "write_bytes", written):
                self.assert_refused("No space left on device.*make room")
        self.again()
        self.assertTrue(self.prove().ok)

    def test_a_folder_in_which_nothing_may_be_written(self) -> None:
        self.repaint()
        refused = OSError(errno.EACCES, os.strerror(errno.EACCES))
        plain = tempfile.mkdtemp

        def made(suffix: str | None = None, prefix: str | None = None, dir: Any = None) -> str:
            if prefix is not None and prefix.startswith(".package.yuplet-"):
                raise refused
            return plain(suffix, prefix, dir)

        with mock.patch("tempfile.mkdtemp", made):
            self.assert_refused("Permission denied. Choose another folder")

    def test_a_name_that_the_file_system_refuses(self) -> None:
        self.repaint()
        plain = Path.write_bytes

        def written(path: Path, data: bytes) -> int:
            if path.name == "lamp.png":
                raise OSError(errno.ENAMETOOLONG, os.strerror(errno.ENAMETOOLONG))
            return plain(path, data)

        with mock.patch.object(Path, "write_bytes", written):
            self.assert_refused("lamp.png' cannot be written: File name too long")

    def test_a_part_that_became_empty_is_told_and_its_file_is_no_longer_wanted(self) -> None:
        art, target = self.folder / "art.ora", self.folder / "of the file"
        write(art, self.illustration, self.scratch)
        before, _, _ = hand_over_file(art, target, quiet)
        self.scratch.put("lamp", np.zeros_like(self.scratch.whole("lamp")))
        write(art, self.illustration, self.scratch)
        report, _, _ = hand_over_file(art, target, quiet)
        self.assertEqual(set(report.empty) - set(before.empty), {"post / signal / lamp"})
        self.assertEqual(report.obsolete, ["parts/post/signal/lamp.png"])
        self.assertTrue(report.proof.ok)

    def test_two_hand_overs_into_one_folder_do_not_meet(self) -> None:
        self.repaint()
        with alone_in(self.package):
            self.assert_refused("Another hand-over is being written to")
            other = self.folder / "other"
            with alone_in(other):
                pass
        self.again()
        with self.assertRaises(FolderBusy), alone_in(self.package), alone_in(self.folder / "." / "package"):
            self.fail("both were let in")

    def test_the_second_of_two_threads_waits_for_nobody(self) -> None:
        self.repaint()
        writes, may_go = threading.Event(), threading.Event()
        found: list[BaseException] = []

        def slowly(stage: str, done: int, total: int) -> None:
            writes.set()
            may_go.wait(20)

        def first() -> None:
            try:
                self.again_with(slowly)
            except BaseException as error:
                found.append(error)

        thread = threading.Thread(target=first)
        thread.start()
        self.assertTrue(writes.wait(20))
        try:
            with self.assertRaises(FolderBusy):
                self.again()
        finally:
            may_go.set()
            thread.join()
        self.assertEqual(found, [])
        self.assertTrue(self.prove().ok)

    def test_whoever_was_stopped_lets_others_in(self) -> None:
        self.repaint()

        def stop(*_: object) -> None:
            raise Cancelled

        with self.assertRaises(Cancelled):
            self.again_with(stop)
        self.again()
        self.assertTrue(self.prove().ok)
