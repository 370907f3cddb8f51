"""The store named by SHA-256: complete files or none."""

import hashlib
import io
import tempfile
from pathlib import Path
from unittest import mock

from django.test import SimpleTestCase

from yuplet.errors import WriteError
from yuplet_server.projects.storage import BlobStorage


class _Breaking(io.BytesIO):
    """A stream that ends with an error, as an upload that is cut off does."""

    def read(self, size: int | None = -1) -> bytes:
        piece = super().read(size)
        if not piece:
            raise ConnectionResetError("cut off")
        return piece


class BlobStorageTests(SimpleTestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.storage = BlobStorage(location=str(self.folder))

    def files(self) -> list[Path]:
        return [path for path in self.folder.rglob("*") if path.is_file()]

    def test_bytes_are_kept_once_under_their_digest(self) -> None:
        data = b"reed" * 700_000
        digests = {self.storage.keep(io.BytesIO(data)) for _ in range(3)}
        self.assertEqual(digests, {hashlib.sha256(data).hexdigest()})
        (path,) = self.files()
        self.assertEqual(path.read_bytes(), data)
        with self.storage.open(digests.pop(), "rb") as file:
            self.assertEqual(file.read(), data)

    def test_bytes_are_whole_before_they_are_in_place(self) -> None:
        plain, sizes = Path.replace, []

        def watched(path: Path, target: Path) -> Path:
            sizes.append(path.stat().st_size)
            return plain(path, target)

        with mock.patch.object(Path, "replace", watched):
            for size in (0, 333, 3_000_000):
                self.storage.keep(io.BytesIO(b"x" * size))
        self.assertEqual(sizes, [0, 333, 3_000_000])

    def test_what_is_cut_off_leaves_nothing(self) -> None:
        with self.assertRaises(WriteError):
            self.storage.keep(_Breaking(b"x" * 100))
        self.assertEqual(self.files(), [])

    def test_a_name_that_is_no_digest_reaches_no_file(self) -> None:
        for name in ("../secrets.json", "/etc/hostname", "a" * 63, "A" * 64, "a" * 64 + "/.."):
            with self.assertRaises(ValueError):
                self.storage.path(name)

    def test_a_folder_that_cannot_be_written_is_said(self) -> None:
        storage = BlobStorage(location="/proc/nowhere")
        with self.assertRaisesRegex(WriteError, "Make room on the server's disk"):
            storage.keep(io.BytesIO(b"x"))
