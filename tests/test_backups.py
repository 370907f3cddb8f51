"""Backups: made while people work, tried, put back, and found out where they are spoiled; and an upgrade from one of each earlier version."""

import contextlib
import gzip
import io
import os
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path

import admin
import backups
from backups import Backup, BackupError
from django.test import SimpleTestCase

from database import ROOT, Database

OLDER = ROOT / "server" / "tests" / "older"
SOMEBODY_WORKS = """
import io, itertools
from yuplet_server.projects.models import Project
from yuplet_server.files.store import blobs
from yuplet_server.transfer.models import Archive
project = Project.objects.first()
for number in itertools.count():
    Archive.objects.create(project=project, direction='out', sha256=blobs().keep(io.BytesIO(b'%d' % number * 2000)))
    if number in (20, 200):
        print('busy', flush=True)
"""


def manage(environment: dict[str, str], *arguments: str) -> str:
    command = [sys.executable, str(ROOT / "server" / "manage.py"), *arguments]
    run = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if run.returncode:
        raise AssertionError(run.stdout + run.stderr)
    return run.stdout


def quiet(_: str) -> None:
    """What is told meanwhile, and nobody reads."""


class BackupTests(SimpleTestCase):
    var: Path
    database: Database
    environment: dict[str, str]

    @classmethod
    def setUpClass(cls) -> None:
        super().setUpClass()
        cls.var = Path(cls.enterClassContext(tempfile.TemporaryDirectory())) / "var"
        cls.database = Database(cls.var)
        cls.addClassCleanup(cls.database.stop)
        cls.database.start()
        cls.environment = {
            **cls.database.environment(),
            "YUPLET_DEMO": "Lever frame",
            "YUPLET_DATABASE_NAME": "yuplet",
            "YUPLET_APART": "0",
        }
        manage(cls.environment, "prepare", "--demo")

    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        # As ./start holds it while it runs.
        self.enterContext(backups.stopped(self.var))

    def admin(self, *arguments: object, var: Path | None = None) -> tuple[int, str]:
        """The exit status of ./yuplet-admin and all that it says."""
        said = io.StringIO()
        before = os.environ.get("YUPLET_VAR", "")
        os.environ["YUPLET_VAR"] = str(var or self.var)
        try:
            with contextlib.redirect_stdout(said), contextlib.redirect_stderr(said):
                status = admin.main([str(one) for one in arguments])
        finally:
            os.environ["YUPLET_VAR"] = before
        return status, said.getvalue()

    def test_made_while_somebody_works_tried_and_put_back(self) -> None:
        working = subprocess.Popen(
            [sys.executable, str(ROOT / "server" / "manage.py"), "shell", "-v0", "-c", SOMEBODY_WORKS],
            env=self.environment, stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        assert working.stdout is not None
        try:
            self.assertEqual(working.stdout.readline(), "busy\n")
            status, said = self.admin("backup", self.folder / "safe")
            self.assertEqual(working.stdout.readline(), "busy\n", "they could go on")
        finally:
            working.kill()
            working.wait()
            working.stdout.close()
        self.assertEqual(status, 0, said)
        one = backups.chosen(self.folder / "safe", None)
        # Hashes of passwords and the keys of sessions are nobody's business.
        for path, mode in ((one.folder.parent, 0o700), (one.folder, 0o700), (one.folder / "secrets.json", 0o600)):
            self.assertEqual(path.stat().st_mode & 0o777, mode, path)
        status, said = self.admin("verify", self.folder / "safe")
        self.assertRegex(said, r"1 projects and 1 illustrations; all \d+ files that they refer to are there and right")
        self.assertEqual(status, 0)
        manage(
            self.environment,
            "shell",
            "-v0",
            "-c",
            "from yuplet_server.transfer.models import Archive; Archive.objects.all().delete()",
        )

        with self.subTest("a second one copies what is new, and is the only one that is kept"):
            # Of another second.
            first = one.folder.rename(one.folder.with_name("2026-01-01T00-00-00Z"))
            old = self.folder / "safe" / "files" / "00"
            old.mkdir(exist_ok=True)
            (old / ("00" * 32)).write_bytes(b"of an older backup")
            status, said = self.admin("backup", self.folder / "safe", "--keep=1")
            self.assertIn("Removed 2026-01-01T00-00-00Z.", said)
            self.assertFalse(first.exists() or (old / ("00" * 32)).exists())
            self.assertEqual(len(self.admin("backups", self.folder / "safe")[1].splitlines()), 1)

        with self.subTest("put back into an empty folder"):
            new = self.folder / "new"
            status, said = self.admin("restore", self.folder / "safe", var=new)
            self.assertEqual(status, 0, said)
            self.assertTrue((new / "demo-loaded").exists())
            self.assertEqual((new / "secrets.json").read_text(), (self.var / "secrets.json").read_text())
            again = Database(new)
            again.start()
            try:
                told = manage({**self.environment, **again.environment(), "YUPLET_VAR": str(new)}, "check_files")
                self.assertIn("1 projects and 1 illustrations", told)
            finally:
                again.stop()

        with self.subTest("not over what is there, unless it is wanted"):
            (new / "blobs" / "mine").touch()
            status, said = self.admin("restore", self.folder / "safe", var=new)
            self.assertEqual(status, 1)
            self.assertIn("There are data in", said)
            status, said = self.admin("restore", self.folder / "safe", "--replace", var=new)
            self.assertEqual(status, 0, said)
            (aside,) = new.glob("before-*")
            self.assertTrue((aside / "blobs" / "mine").exists() and (aside / "mariadb").is_dir())
            self.assertFalse((new / "blobs" / "mine").exists())

        with self.subTest("not while it runs"):
            status, said = self.admin("restore", self.folder / "safe", "--replace")
            self.assertEqual((status, "Yuplet is running from" in said), (1, True))

    def test_what_is_spoiled_is_found(self) -> None:
        whole = backups.made(self.var, self.folder / "whole", quiet, links=True)
        digest = next(iter(whole.listed()))

        def cut(path: Path) -> None:
            path.write_bytes(path.read_bytes()[:-5])

        def changed(path: Path) -> None:
            data = bytearray(path.read_bytes())
            data[0] ^= 1
            # The copy is another name of the file that is in use.
            path.unlink()
            path.write_bytes(data)

        def said_otherwise(path: Path) -> None:
            path.write_text(path.read_text().replace('"version": 1', '"version": 2'))

        for file, spoil, words in (
            ("database.sql.gz", cut, "is missing or not as it was written"),
            ("secrets.json", Path.unlink, "is missing or not as it was written"),
            ("files.txt", cut, "is missing or not as it was written"),
            (f"../files/{digest[:2]}/{digest}", Path.unlink, "missing or not as they were written"),
            (f"../files/{digest[:2]}/{digest}", changed, "missing or not as they were written"),
            ("backup.json", cut, "cannot be read"),
            ("backup.json", said_otherwise, "of another kind"),
        ):
            with self.subTest(file, spoil=spoil.__name__):
                copy = self.folder / "copy"
                shutil.rmtree(copy, ignore_errors=True)
                shutil.copytree(self.folder / "whole", copy)
                spoil(copy / whole.folder.name / file)
                for command in ("verify", "restore"):
                    status, said = self.admin(command, copy, var=self.folder / "new")
                    self.assertEqual(status, 1)
                    self.assertIn(words, said)
                self.assertEqual(
                    [path.name for path in (self.folder / "new").glob("*")], ["lock"][: (self.folder / "new").exists()]
                )

    def test_a_row_without_its_file_is_found_and_nothing_of_it_is_taken_for_a_backup(self) -> None:
        victim = next(path for path in (self.var / "blobs").glob("??/*") if path.stat().st_size > 50_000)
        data = victim.read_bytes()
        victim.unlink()
        try:
            one = backups.made(self.var, self.folder / "safe", quiet)
            with self.assertRaisesRegex(BackupError, "1 of .* files are missing or damaged"):
                backups.tried(one, quiet)
            victim.write_bytes(data[:-1] + b"x")
            with self.assertRaisesRegex(BackupError, "is damaged: its bytes are not those that its name tells"):
                backups.made(self.var, self.folder / "other", quiet)
            self.assertEqual(backups.found_in(self.folder / "other"), [])
        finally:
            victim.write_bytes(data)

    def test_where_there_can_be_no_backup(self) -> None:
        for folder, var, words in (
            (self.folder, self.folder / "nothing", "There is no database in"),
            (self.var, self.var, "is where the data itself is"),
            (self.var / "blobs" / "safe", self.var, "is where the data itself is"),
            (Path("/proc/nothing"), self.var, "could not be made"),
        ):
            status, said = self.admin("backup", folder, var=var)
            self.assertEqual((status, words in said), (1, True), said)
        for command in (["verify", self.folder], ["restore", self.folder / "nothing"]):
            self.assertIn("There is no backup in", self.admin(*command)[1])
        one = backups.made(self.var, self.folder, quiet, links=True)
        self.assertIn(one.folder.name, self.admin("verify", self.folder, "--name=2020-01-01T00-00-00Z")[1])


class UpgradeTests(SimpleTestCase):
    def test_data_of_every_earlier_version_can_be_gone_on_from(self) -> None:
        """`server/tests/older` has a backup of each, made with ./yuplet-admin (CONTRIBUTING.md)."""
        kept = sorted(path for path in OLDER.glob("*") if path.is_dir())
        self.assertGreaterEqual(len(kept), 1)
        for version in kept:
            with self.subTest(version.name):
                (one,) = backups.found_in(version)
                self.assertRegex(backups.tried(one, quiet), r"1 projects and 1 illustrations; all \d+ files")

    def test_a_start_of_another_version_makes_a_copy_first(self) -> None:
        (one,) = backups.found_in(sorted(OLDER.glob("*"))[0])
        with tempfile.TemporaryDirectory() as name:
            var = Path(name)
            backups.put_back(one, var, quiet)
            (var / "schema").write_text("that of an earlier version")
            environment = {
                key: value for key, value in os.environ.items() if not key.startswith(("YUPLET_", "DJANGO_"))
            }
            environment |= {"YUPLET_VAR": str(var)}
            said = self.started(environment)
            self.assertIn("This is another version of Yuplet than the one that was here before", said)
            (copy,) = backups.found_in(var / "before-upgrades")
            self.assertEqual(copy.about["files"], one.about["files"])
            self.assertTrue(_is_same_dump(copy, one))
            self.assertNotIn("another version", self.started(environment))

    def started(self, environment: dict[str, str]) -> str:
        """What ./start says until it is ready; then it is stopped."""
        from tests.test_start import free_port

        run = subprocess.Popen(
            ["./start", f"--port={free_port()}"], cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True, start_new_session=True
        )  # fmt: skip
        assert run.stdout is not None
        said = ""
        try:
            for line in run.stdout:
                said += line
                if "Ctrl-C stops it." in line:
                    break
        finally:
            run.terminate()
            run.wait(60)
            run.stdout.close()
        self.assertIn("Yuplet is ready", said)
        return said


def _is_same_dump(one: Backup, other: Backup) -> bool:
    """Whether two copies of a database hold the same rows; their last line tells when they were made."""
    lines = [gzip.decompress((each.folder / "database.sql.gz").read_bytes()).splitlines() for each in (one, other)]
    rows = [[line for line in each if line.startswith(b"INSERT")] for each in lines]
    return len(rows[0]) > 0 and rows[0] == rows[1]
