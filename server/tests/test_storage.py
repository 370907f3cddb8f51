"""The stores named by SHA-256, on a disk and in S3 (moto's server, from the registries): complete files or none."""

import base64
import hashlib
import io
import logging
import os
import socket
import tempfile
import urllib.request
import zipfile
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest import mock

import boto3
from django.conf import settings
from django.core.management import CommandError, call_command
from django.test import SimpleTestCase, override_settings
from django.utils import timezone
from moto.server import ThreadedMotoServer

from tests.cases import ServerTestCase, brought_in, handed_over, zip_of
from yuplet.errors import WriteError
from yuplet.paths import PackagePath, UnsafePath
from yuplet_server.base.errors import StoreAway
from yuplet_server.files import s3
from yuplet_server.files.answers import SENDS
from yuplet_server.files.chosen import storage
from yuplet_server.files.disk import DiskStore
from yuplet_server.files.s3 import S3Store
from yuplet_server.files.store import BlobStore, blobs, open_blob
from yuplet_server.transfer.kept_files import referred_to

KEYS = {"AWS_ACCESS_KEY_ID": "test", "AWS_SECRET_ACCESS_KEY": "test-only", "AWS_DEFAULT_REGION": "eu-central-1"}


class _Breaking(io.BytesIO):
    """A stream that ends with an error, as an upload that is cut off does."""

    def read(self, size: int | None = -1) -> bytes:
        piece = super().read(size)
        if not piece:
            raise ConnectionResetError("cut off")
        return piece


class _BothStores:
    """What holds of any store."""

    storage: BlobStore

    def names(self) -> list[str]:
        """What is in the store, by asking it in another way."""
        raise NotImplementedError

    def test_bytes_are_kept_once_under_their_digest(self: Any) -> None:
        data = b"reed" * 700_000
        digests = {self.storage.keep(io.BytesIO(data)) for _ in range(3)}
        self.assertEqual(digests, {hashlib.sha256(data).hexdigest()})
        (digest,) = digests
        self.assertEqual(self.names(), [digest])
        with self.storage.open(digest, "rb") as file:
            self.assertEqual((file.size, file.read()), (len(data), data))
        with self.storage.local(digest) as path:
            self.assertEqual(path.read_bytes(), data)
        size, pieces = self.storage.stream(digest)
        self.assertEqual((size, b"".join(pieces)), (len(data), data))
        self.assertTrue(self.storage.is_right(digest))

    def test_what_is_cut_off_leaves_nothing(self: Any) -> None:
        with self.assertRaises(WriteError):
            self.storage.keep(_Breaking(b"x" * 100))
        self.assertEqual(self.names(), [])

    def test_a_name_that_is_no_digest_reaches_no_file(self: Any) -> None:
        for name in ("../secrets.json", "/etc/hostname", "a" * 63, "A" * 64, "a" * 64 + "/.."):
            for verb in (self.storage.open, self.storage.exists, self.storage.delete, self.storage.stream):
                with self.subTest(name, verb=verb.__name__), self.assertRaises(ValueError):
                    verb(name)

    def test_what_is_missing_is_said(self: Any) -> None:
        digest = hashlib.sha256(b"never kept").hexdigest()
        self.assertFalse(self.storage.exists(digest))
        self.assertFalse(self.storage.is_right(digest))
        with self.assertRaises(FileNotFoundError):
            self.storage.open(digest, "rb").read()
        self.storage.delete(digest)

    def test_a_file_is_put_into_a_folder_and_nothing_there_is_touched(self: Any) -> None:
        digest = self.storage.keep(io.BytesIO(b"lever"))
        with tempfile.TemporaryDirectory() as name:
            self.storage.link(digest, Path(name), PackagePath("parts/lever.png"))
            self.assertEqual((Path(name) / "parts" / "lever.png").read_bytes(), b"lever")
            with self.assertRaises(FileExistsError):
                self.storage.link(digest, Path(name), PackagePath("parts/lever.png"))
            with self.assertRaises(UnsafePath):
                self.storage.link(digest, Path(name), PackagePath("../lever.png"))

    def test_keeping_the_same_again_makes_it_young(self: Any) -> None:
        digest = self.storage.keep(io.BytesIO(b"old"))
        later = timezone.now() + timedelta(seconds=5)
        self.assertEqual(list(self.storage.kept_before(later)), [digest])
        self.assertEqual(list(self.storage.kept_before(timezone.now() - timedelta(hours=1))), [])
        self.storage.require_writable()
        self.assertEqual(list(self.storage.kept_before(later)), [digest], "nothing but files is listed")
        self.storage.delete(digest)
        self.assertEqual(self.names(), [])


class DiskStoreTests(_BothStores, SimpleTestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.folder = Path(holder.name)
        self.storage = DiskStore(location=str(self.folder))

    def names(self) -> list[str]:
        return [path.name for path in self.folder.rglob("*") if path.is_file()]

    def test_bytes_are_whole_before_they_are_in_place(self) -> None:
        plain, sizes = Path.replace, []

        def watched(path: Path, target: Path) -> Path:
            sizes.append(path.stat().st_size)
            return plain(path, target)

        with mock.patch.object(Path, "replace", watched):
            for size in (0, 333, 3_000_000):
                self.storage.keep(io.BytesIO(b"x" * size))
        self.assertEqual(sizes, [0, 333, 3_000_000])

    def test_an_old_file_that_is_kept_again_is_young(self) -> None:
        digest = self.storage.keep(io.BytesIO(b"old"))
        os.utime(self.storage.path(digest), (0, 0))
        self.storage.keep(io.BytesIO(b"old"))
        self.assertEqual(list(self.storage.kept_before(timezone.now() - timedelta(hours=1))), [])

    def test_a_folder_that_cannot_be_written_is_said(self) -> None:
        storage = DiskStore(location="/proc/nowhere")
        with self.assertRaisesRegex(WriteError, "Make room on the server's disk"):
            storage.keep(io.BytesIO(b"x"))


def stand_in() -> tuple[ThreadedMotoServer, str]:
    """A store that speaks S3, on this machine, and its address."""
    # It tells of each request.
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    with mock.patch("builtins.print"):
        server = ThreadedMotoServer("127.0.0.1", 0)
        server.start()
    return server, "http://{}:{}".format(*server.get_host_and_port())


class _WithS3:
    """The stand-in, with an empty bucket for each test."""

    @classmethod
    def setUpClass(cls: Any) -> None:
        keys = mock.patch.dict(os.environ, KEYS)
        keys.start()
        cls.addClassCleanup(keys.stop)
        cls.server, cls.server_address = stand_in()
        cls.addClassCleanup(cls.server.stop)
        cls.client_of_s3 = boto3.client("s3", endpoint_url=cls.server_address)
        super().setUpClass()  # type: ignore[misc]

    def bucket(self: Any) -> str:
        name = f"art-{self._testMethodName[-40:].replace('_', '-').lower()}"
        self.client_of_s3.create_bucket(
            Bucket=name, CreateBucketConfiguration={"LocationConstraint": KEYS["AWS_DEFAULT_REGION"]}
        )
        return name


class S3StoreTests(_WithS3, _BothStores, SimpleTestCase):
    client_of_s3: Any
    server_address: str

    def setUp(self) -> None:
        self.name = self.bucket()
        self.storage = S3Store(bucket=self.name, prefix="studio", address=self.server_address)

    def objects(self) -> list[dict[str, Any]]:
        """What Amazon's own library finds there."""
        return list(self.client_of_s3.list_objects_v2(Bucket=self.name).get("Contents", []))

    def names(self) -> list[str]:
        return [one["Key"].rpartition("/")[2] for one in self.objects() if one["Key"] != "studio/written-last"]

    def test_it_stands_where_the_settings_say(self) -> None:
        digest = self.storage.keep(io.BytesIO(b"lamp"))
        self.assertEqual([one["Key"] for one in self.objects()], [f"studio/{digest[:2]}/{digest}"])

    def test_a_large_file_goes_in_parts_and_a_check_sum_with_each(self) -> None:
        with mock.patch.object(s3, "_PART", 5 << 20):
            storage = S3Store(bucket=self.name, address=self.server_address)
        data = os.urandom(12 << 20)
        digest = storage.keep(io.BytesIO(data))
        told = self.client_of_s3.head_object(Bucket=self.name, Key=f"{digest[:2]}/{digest}", ChecksumMode="ENABLED")
        self.assertTrue(told["ETag"].endswith('-3"'), "three parts")
        self.assertTrue(storage.is_right(digest))
        with mock.patch.object(storage.connection.meta.client, "upload_fileobj") as sent:
            storage.keep(io.BytesIO(data))
            sent.assert_not_called()
            with mock.patch.object(s3, "_YOUNG", timedelta(0)):
                storage.keep(io.BytesIO(data))
            sent.assert_called_once()

    def test_small_ones_carry_a_check_sum(self) -> None:
        digest = self.storage.keep(io.BytesIO(b"small"))
        told = self.client_of_s3.head_object(
            Bucket=self.name, Key=f"studio/{digest[:2]}/{digest}", ChecksumMode="ENABLED"
        )
        self.assertEqual(told["ChecksumSHA256"], base64.b64encode(hashlib.sha256(b"small").digest()).decode())

    def test_other_bytes_than_were_kept_are_never_given(self) -> None:
        digest = self.storage.keep(io.BytesIO(b"right"))
        self.client_of_s3.put_object(Bucket=self.name, Key=f"studio/{digest[:2]}/{digest}", Body=b"wrong")
        self.assertFalse(self.storage.is_right(digest))
        with self.assertRaisesRegex(OSError, "other bytes"):
            self.storage.open(digest, "rb")
        with self.assertRaisesRegex(OSError, "other bytes"), self.storage.local(digest):
            pass

    def test_an_upload_that_was_never_ended_is_removed(self) -> None:
        self.client_of_s3.create_multipart_upload(Bucket=self.name, Key="studio/ab/half")
        # The stand-in says of each that it was begun in 2010.
        self.storage.clear_unfinished(timezone.now().replace(year=2009))
        self.assertEqual(len(self.client_of_s3.list_multipart_uploads(Bucket=self.name)["Uploads"]), 1)
        self.storage.clear_unfinished(timezone.now())
        self.assertNotIn("Uploads", self.client_of_s3.list_multipart_uploads(Bucket=self.name))

    def test_a_store_that_is_away_refuses_or_says_nothing_is_named(self) -> None:
        gone = S3Store(bucket=self.name, address="http://127.0.0.1:9", patience=0.3, attempts=1)
        missing = S3Store(bucket="no-such-bucket", address=self.server_address, attempts=1)
        with socket.create_server(("127.0.0.1", 0)) as silent:
            mute = S3Store(
                bucket=self.name, address=f"http://127.0.0.1:{silent.getsockname()[1]}", patience=0.3, attempts=1
            )
            for what, store in (("gone", gone), ("mute", mute), ("no bucket", missing)):
                for verb in (
                    lambda store=store: store.keep(io.BytesIO(b"x")),
                    lambda store=store: store.open("0" * 64, "rb"),
                    lambda store=store: list(store.kept_before(timezone.now())),
                    lambda store=store: store.require_writable(),
                ):
                    with self.subTest(what), self.assertLogs(s3.log, "WARNING"), self.assertRaises(StoreAway):
                        verb()


class WorkInS3Tests(_WithS3, ServerTestCase):
    """The journey with files in S3, and moving there and back."""

    client_of_s3: Any
    server_address: str

    def in_s3(self, signs: bool = False) -> override_settings:
        kept = {**settings.KEPT, "address": self.server_address, "signs": signs}
        self.where = f"s3://{self.bucket()}"
        stores = {**settings.STORAGES, "default": storage((self.where[5:], ""), **kept)}
        return override_settings(STORAGES=stores, KEPT=kept)

    def test_bringing_in_handing_over_and_taking_away(self) -> None:
        with self.in_s3():
            illustration = brought_in(self.project, "post in S3.ora")
            first = handed_over(illustration, self.users["ada"], illustration.arrangement.version)
            second = handed_over(illustration, self.users["ada"], illustration.arrangement.version)
            here = zip_of(second)
            self.assertEqual(zip_of(first), here, "what has not changed is taken over from the store")
            original = self.ada.get(f"/api/illustrations/{illustration.pk}/original")
            self.assertEqual(original["Content-Security-Policy"], "sandbox; default-src 'none'")
            self.assertIn("attachment", original["Content-Disposition"])
            data = b"".join(original.streaming_content)
            self.assertEqual(hashlib.sha256(data).hexdigest(), illustration.revision.sha256)
            self.assertEqual(int(original["Content-Length"]), len(data))
            image = self.ada.get(f"/api/illustrations/{illustration.pk}/images/{illustration.revision.preview}")
            self.assertEqual(b"".join(image.streaming_content)[:4], b"\x89PNG")
        elsewhere = brought_in(self.project, "post on disk.ora")
        there = zip_of(handed_over(elsewhere, self.users["ada"], elsewhere.arrangement.version))
        with zipfile.ZipFile(io.BytesIO(here)) as one, zipfile.ZipFile(io.BytesIO(there)) as other:
            for name in one.namelist():
                if name.endswith(".png"):
                    self.assertEqual(one.read(name), other.read(name), name)

    def test_visitors_take_large_files_from_the_store_itself(self) -> None:
        with self.in_s3(signs=True):
            illustration = brought_in(self.project, "signed.ora")
            answer = self.ada.get(f"/api/illustrations/{illustration.pk}/original")
            self.assertEqual((answer.status_code, answer["Cache-Control"]), (302, "no-store"))
            self.assertIn("X-Amz-Signature=", answer["Location"])
            with urllib.request.urlopen(answer["Location"]) as taken:
                self.assertEqual(hashlib.sha256(taken.read()).hexdigest(), illustration.revision.sha256)
            # What the page shows comes from our own origin: it may load nothing from elsewhere.
            image = self.ada.get(f"/api/illustrations/{illustration.pk}/images/{illustration.revision.preview}")
            self.assertEqual(image.status_code, 200)

    def test_our_front_server_takes_files_from_the_store_itself(self) -> None:
        with self.in_s3():
            illustration = brought_in(self.project, "by the front server.ora")
            path = f"/api/illustrations/{illustration.pk}/images/{illustration.revision.preview}"
            answer = self.ada.get(path, **{SENDS: "yes"})
            place = answer["X-Accel-Redirect"]
            self.assertEqual((answer.content, answer["Content-Type"]), (b"", "image/png"))
            self.assertIn("immutable", answer["Cache-Control"])
            self.assertTrue(place.startswith(f"/store/{self.where[5:]}/"), place)
            with urllib.request.urlopen(self.server_address + place.removeprefix("/store")) as taken:
                self.assertEqual(taken.read()[:4], b"\x89PNG")
                self.assertEqual(taken.headers["Content-Type"], "image/png")
            refused = self.dora.get(path, **{SENDS: "yes"})
            self.assertEqual((refused.status_code, refused.get("X-Accel-Redirect")), (404, None))

    def test_a_store_that_is_away_is_a_state_and_not_a_fault(self) -> None:
        stores = {
            **settings.STORAGES,
            "default": storage(("art", ""), **{**settings.KEPT, "address": "http://127.0.0.1:9"}),
        }
        with override_settings(STORAGES=stores), self.assertLogs(s3.log, "WARNING"):
            answer = self.ada.get(f"/api/illustrations/{self.illustration.pk}/original")
        self.assertEqual((answer.status_code, answer.json()["code"], answer["Retry-After"]), (503, "store-away", "5"))

    def test_all_files_are_moved_and_proved(self) -> None:
        handed_over(self.illustration, self.users["ada"], self.illustration.arrangement.version)
        wanted = referred_to()
        with self.in_s3():
            there = blobs()
        with override_settings(KEPT={**settings.KEPT, "address": self.server_address}):
            said = _said("move_files", self.where)
            self.assertIn(f"{len(wanted):,} files were copied; all {len(wanted):,}", said)
            self.assertIn(f"YUPLET_STORE={self.where}", said)
            self.assertEqual(sorted(wanted - set(there.kept_before(timezone.now() + timedelta(minutes=1)))), [])
            self.assertIn("0 files were copied", _said("move_files", self.where))
            damaged = sorted(wanted)[0]
            self.client_of_s3.put_object(Bucket=self.where[5:], Key=f"{damaged[:2]}/{damaged}", Body=b"?")
            with self.assertRaisesRegex(CommandError, f"1 of .* missing or damaged there, {damaged}"):
                call_command("move_files", self.where)
            with self.assertRaisesRegex(CommandError, "should be disk, s3://"):
                call_command("move_files", "ftp://somewhere")
            with self.assertRaisesRegex(CommandError, "there already"):
                call_command("move_files", "disk")

    def test_files_come_back_to_the_disk(self) -> None:
        with tempfile.TemporaryDirectory() as name, self.in_s3():
            illustration = brought_in(self.project, "back.ora")
            own = set(illustration.revision.images.values_list("pixels", flat=True))
            with (
                override_settings(KEPT={**settings.KEPT, "folder": Path(name)}),
                mock.patch("yuplet_server.transfer.management.commands.move_files.referred_to", return_value=own),
            ):
                self.assertIn("YUPLET_STORE=(none)", _said("move_files", "disk"))
            self.assertEqual({path.name for path in Path(name).glob("??/*")}, own)


class SentByTheFrontServerTests(ServerTestCase):
    def test_it_is_told_which_file_and_sends_it(self) -> None:
        digest = self.illustration.revision.sha256
        answer = self.ada.get(self.address("original"), **{SENDS: "yes"})
        self.assertEqual(answer["X-Accel-Redirect"], f"/kept/{digest[:2]}/{digest}")
        self.assertEqual((answer.content, answer["Content-Type"]), (b"", "application/octet-stream"))
        plain = self.ada.get(self.address("original"))
        with open_blob(digest) as file:
            self.assertEqual(b"".join(plain.streaming_content), file.read())
        self.assertEqual(plain["Content-Security-Policy"], answer["Content-Security-Policy"])
        with (
            mock.patch.object(DiskStore, "exists", return_value=False),
            self.assertLogs("yuplet_server.base.errors", "ERROR"),
        ):
            missing = self.ada.get(self.address("original"), **{SENDS: "yes"})
        self.assertEqual((missing.status_code, missing.json()["code"]), (500, "our-fault"))
        refused = self.dora.get(self.address("original"), **{SENDS: "yes"})
        self.assertEqual(refused.status_code, 404)
        self.assertNotIn("X-Accel-Redirect", refused)


def _said(*command: str) -> str:
    out = io.StringIO()
    call_command(*command, stdout=out)
    return out.getvalue()
