"""Backups of an installation: made while people work, tried by putting them back into a folder of their own, and put back.

A folder of backups holds `files`, each kept file once under its SHA-256, and for each backup a folder with the database, the secrets and a list of the files.
The database is copied first, as it was at one moment, and the files after it: a row never refers to a file that was not there before it, and none is
swept meanwhile.
"""

import contextlib
import datetime
import fcntl
import gzip
import hashlib
import json
import os
import re
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from database import ROOT, CannotStart, Database, settings

sys.path.append(str(ROOT / "server"))
from yuplet_server.project.environment import DatabaseServer, value  # noqa: E402

FORMAT, VERSION = "yuplet-backup", 1
DUMP, LIST, ABOUT, SECRETS, FILES = "database.sql.gz", "files.txt", "backup.json", "secrets.json", "files"
NAME = re.compile(r"\d{4}-\d\d-\d\dT\d\d-\d\d-\d\dZ")
"""What a backup is called: the moment of its database, in UTC."""
_DIGEST = re.compile(r"[0-9a-f]{64}")
_PIECE = 1 << 20
_MANAGE = [sys.executable, str(ROOT / "server" / "manage.py")]

Tell = Callable[[str], None]


class BackupError(Exception):
    """A backup that cannot be made, is not whole, or cannot be put back; the sentence says what to do."""


@dataclass(frozen=True, slots=True)
class Backup:
    """A backup, and what is said of it."""

    folder: Path
    about: dict[str, Any]

    @property
    def files(self) -> Path:
        """Where kept files are, of all backups of the folder."""
        return self.folder.parent / FILES

    def listed(self) -> dict[str, int]:
        """Sizes of the files that belong to it, by their SHA-256. Raises `BackupError`."""
        found = {}
        for line in (self.folder / LIST).read_text().splitlines():
            digest, _, size = line.partition(" ")
            if not _DIGEST.fullmatch(digest) or not size.isdigit():
                raise BackupError(f"'{self.folder / LIST}' cannot be read. Take another backup.")
            found[digest] = int(size)
        return found


def made(var: Path, into: Path, tell: Tell, links: bool = False) -> Backup:
    """Make a backup of the installation in `var`, which may be running.

    With `links`, files are not copied but given a second name on the same disk: that costs nothing, and protects from a mistake, not from
    a broken disk. Raises `BackupError`.
    """
    into = into.resolve()
    is_ours = not value("YUPLET_DATABASE")
    if is_ours and not (var / "mariadb").is_dir():
        raise BackupError(f"There is no database in {var}. Name the folder of the data with YUPLET_VAR.")
    if into == var.resolve() or (var / "blobs").resolve() in (into, *into.parents):
        raise BackupError(f"{into} is where the data itself is. Choose another folder.")
    try:
        into.mkdir(parents=True, exist_ok=True, mode=0o700)
        (into / FILES).mkdir(exist_ok=True, mode=0o700)
        with _alone(into), no_sweeping(var), database_of(var) as server:
            stamp = datetime.datetime.now(datetime.UTC).strftime("%Y-%m-%dT%H-%M-%SZ")
            if (into / stamp).exists():
                raise BackupError("There is a backup of this second already. Try again.")
            with tempfile.TemporaryDirectory(prefix=".new-", dir=into) as name:
                new = Path(name) / stamp
                new.mkdir(mode=0o700)
                tell("Copying the database ...")
                dump = _dumped(server, new / DUMP)
                tell("Copying files ...")
                source = var / "blobs" if not value("YUPLET_STORE") else _from_store(into / FILES)
                count, size = _files_copied(source, into / FILES, new / LIST, links)
                shutil.copyfile(var / SECRETS, new / SECRETS)
                (new / SECRETS).chmod(0o600)
                about = {
                    "format": FORMAT,
                    "version": VERSION,
                    "made_at": stamp,
                    "schema": schema(),
                    "database": dump,
                    "files": {"count": count, "bytes": size, "sha256": _digest(new / LIST)},
                    "secrets": {"sha256": _digest(new / SECRETS)},
                    "has_demo": (var / "demo-loaded").exists(),
                }
                (new / ABOUT).write_text(json.dumps(about, indent=1))
                new.rename(into / stamp)
    except OSError as error:
        raise BackupError(
            f"The backup could not be made: {error.filename or into}: {error.strerror}. Check the rights and the room on the disk."
        ) from error
    return Backup(into / stamp, about)


def found_in(folder: Path) -> list[Backup]:
    """The backups in a folder, the oldest first; half-made ones are none."""
    names = sorted(path.name for path in folder.glob("*") if NAME.fullmatch(path.name)) if folder.is_dir() else []
    return [_opened(folder / name) for name in names]


def chosen(folder: Path, name: str | None) -> Backup:
    """A backup by its name, or the newest. Raises `BackupError`."""
    names = [path.name for path in sorted(folder.glob("*")) if NAME.fullmatch(path.name)] if folder.is_dir() else []
    if not names:
        raise BackupError(f"There is no backup in {folder}. Name the folder that backups were made into.")
    if name is not None and name not in names:
        raise BackupError(f"There is no backup '{name}' in {folder}. There are {', '.join(names[-5:])}.")
    return _opened(folder / (name or names[-1]))


def _opened(folder: Path) -> Backup:
    try:
        about = json.loads((folder / ABOUT).read_text())
        if (about["format"], about["version"]) != (FORMAT, VERSION):
            raise ValueError("it is of another kind")
        _ = about["database"]["sha256"], about["files"]["sha256"], about["secrets"]["sha256"], about["schema"]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise BackupError(f"'{folder / ABOUT}' cannot be read ({error}). Take another backup.") from error
    return Backup(folder, about)


def require_whole(backup: Backup, workers: int = 2) -> None:
    """Raise `BackupError` unless every file of a backup is there and has the bytes that it was made with."""
    for name, said in ((DUMP, "database"), (LIST, "files"), (SECRETS, "secrets")):
        path = backup.folder / name
        if not path.is_file() or _digest(path) != backup.about[said]["sha256"]:
            raise BackupError(f"'{path}' is missing or not as it was written. Take another backup.")
    listed = backup.listed()

    def is_right(digest: str) -> bool:
        path = backup.files / digest[:2] / digest
        return path.is_file() and path.stat().st_size == listed[digest] and _digest(path) == digest

    with ThreadPoolExecutor(workers) as pool:
        wrong = [digest for digest, right in zip(listed, pool.map(is_right, listed), strict=True) if not right]
    if wrong:
        raise BackupError(
            f"{len(wrong)} of {len(listed)} files in '{backup.files}' are missing or not as they were written, {wrong[0]} among them."
            " Make a new backup into another folder, or take an older one."
        )


def tried(backup: Backup, tell: Tell) -> str:
    """Put a backup back into a folder of its own, look whether every file that a row refers to is there, and remove it again.

    Answers what is in it, in a line. Raises `BackupError`.
    """
    tell("Comparing files ...")
    require_whole(backup)
    with tempfile.TemporaryDirectory(prefix="yuplet-") as name:
        var = Path(name)
        tell("Putting the database back, for a try ...")
        with _database_from(backup, var) as database:
            (var / "blobs").symlink_to(backup.files)
            environment = {name: text for name, text in database.environment().items() if name != "YUPLET_STORE"}
            _manage(["migrate", "--verbosity=0"], environment)
            return _manage(["check_files"], environment).strip()


def put_back(backup: Backup, var: Path, tell: Tell, replaces: bool = False) -> Path | None:
    """Put a backup back into `var`, which is not running. What is there is moved aside where it `replaces` it; answers where to.

    Until all of it is there, nothing of `var` has changed. Raises `BackupError`.
    """
    var.mkdir(parents=True, exist_ok=True)
    there = [name for name in ("mariadb", "blobs") if (var / name).exists()]
    if there and not replaces:
        raise BackupError(f"There are data in {var} already. Add --replace: then they are moved aside first.")
    tell("Comparing files ...")
    require_whole(backup)
    new = var / "putting-back"
    shutil.rmtree(new, ignore_errors=True)
    try:
        with _database_from(backup, new):
            tell("Copying files ...")
            for digest in backup.listed():
                _copied(backup.files / digest[:2] / digest, new / "blobs" / digest[:2] / digest)
        aside = None
        if there:
            aside = var / f"before-{datetime.datetime.now(datetime.UTC).strftime('%Y-%m-%dT%H-%M-%SZ')}"
            aside.mkdir()
            for name in (*there, SECRETS, "demo-loaded", "schema"):
                with contextlib.suppress(FileNotFoundError):
                    (var / name).rename(aside / name)
        (new / "blobs").mkdir(exist_ok=True)
        for name in (SECRETS, "blobs", "mariadb"):
            (new / name).rename(var / name)
        (var / "schema").write_text(str(backup.about["schema"]))
        if backup.about.get("has_demo"):
            (var / "demo-loaded").touch()
    except OSError as error:
        raise BackupError(
            f"It could not be put back: {error.filename or var}: {error.strerror}. Check the rights and the room on the disk."
        ) from error
    finally:
        shutil.rmtree(new, ignore_errors=True)
    return aside


def kept(folder: Path, most: int) -> list[str]:
    """Remove all but the newest backups, and files that none of these has; answers the names of those that were removed."""
    with _alone(folder):
        all_of_them = found_in(folder)
        removed, left = all_of_them[:-most], all_of_them[-most:]
        for one in removed:
            shutil.rmtree(one.folder)
        if removed:
            wanted = {digest for one in left for digest in one.listed()}
            for path in (folder / FILES).glob("??/*"):
                if path.name not in wanted:
                    path.unlink()
    return [one.folder.name for one in removed]


def schema() -> str:
    """What tells the tables of this version from those of another: the names of all migrations."""
    names = sorted(str(path.relative_to(ROOT)) for path in ROOT.glob("server/yuplet_server/*/migrations/[0-9]*.py"))
    requirements = (ROOT / "requirements.txt").read_bytes()
    return hashlib.sha256("\n".join(names).encode() + requirements).hexdigest()[:16]


@contextlib.contextmanager
def no_sweeping(var: Path) -> Iterator[None]:
    """Files that nothing refers to stay meanwhile: the sweep of the server takes the same lock, or lets it be."""
    with (var / "sweep.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_SH)
        yield


@contextlib.contextmanager
def stopped(var: Path) -> Iterator[None]:
    """Nobody starts Yuplet from this folder meanwhile; raises `BackupError` where it runs."""
    var.mkdir(parents=True, exist_ok=True)
    with (var / "lock").open("a") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise BackupError(f"Yuplet is running from {var}. Stop it with Ctrl-C first.") from None
        yield


@contextlib.contextmanager
def database_of(var: Path) -> Iterator[DatabaseServer]:
    """The database of an installation, which is started for the time being where it is ours and nobody has."""
    if server := value("YUPLET_DATABASE"):
        yield server
        return
    running = var / "port"
    with (var / "lock").open("a") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            if not running.exists():
                raise BackupError("Yuplet is just starting or stopping. Try again in a moment.") from None
            yield _own(int(running.read_text()), var)
            return
        database = Database(var)
        try:
            database.start()
            yield _own(database.port, var)
        finally:
            database.stop()


def _own(port: int, var: Path) -> DatabaseServer:
    return DatabaseServer("127.0.0.1", port, "yuplet", settings(var)["database_password"], "yuplet")


@contextlib.contextmanager
def _alone(folder: Path) -> Iterator[None]:
    with (folder / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise BackupError(f"Another backup is being made into {folder}. Wait until it is done.") from None
        yield


@contextlib.contextmanager
def _database_from(backup: Backup, var: Path) -> Iterator[Database]:
    """A database with what a backup holds, running in a folder of its own."""
    var.mkdir(parents=True, exist_ok=True)
    shutil.copyfile(backup.folder / SECRETS, var / SECRETS)
    (var / SECRETS).chmod(0o600)
    database = Database(var)
    try:
        database.start()
        _loaded(_own(database.port, var), backup.folder / DUMP)
        yield database
    except CannotStart as error:
        raise BackupError(str(error)) from error
    finally:
        database.stop()


@contextlib.contextmanager
def _client(program: str, server: DatabaseServer) -> Iterator[list[str]]:
    """The beginning of a command line of MariaDB's own programs; the password is not on it, where others could read it."""
    found = shutil.which(program)
    if found is None:
        raise BackupError(f"'{program}' is missing. Install Debian's package 'mariadb-client'.")
    with tempfile.NamedTemporaryFile("w", prefix="yuplet-", suffix=".cnf") as options:
        password = server.password.replace("\\", "\\\\").replace('"', '\\"')
        options.write(f'[client]\nhost={server.host}\nport={server.port}\nuser={server.user}\npassword="{password}"\n')
        options.flush()
        yield [found, f"--defaults-file={options.name}", "--protocol=tcp", "--default-character-set=utf8mb4"]


def _dumped(server: DatabaseServer, target: Path) -> dict[str, Any]:
    """Copy the database as it is at one moment; its tables can be written to meanwhile."""
    with _client("mariadb-dump", server) as command, gzip.open(target, "wb", compresslevel=5) as out:
        how = ["--single-transaction", "--quick", "--hex-blob", "--no-tablespaces", "--skip-lock-tables", server.name]
        with subprocess.Popen([*command, *how], stdout=subprocess.PIPE, stderr=subprocess.PIPE) as run:
            assert run.stdout is not None and run.stderr is not None
            shutil.copyfileobj(run.stdout, out, _PIECE)
            said = run.stderr.read().decode(errors="replace").strip()
        if run.returncode != 0:
            raise BackupError(f"The database could not be copied: {said}. Start Yuplet and try again.")
    return {"bytes": target.stat().st_size, "sha256": _digest(target)}


def _loaded(server: DatabaseServer, source: Path) -> None:
    with _client("mariadb", server) as command, gzip.open(source, "rb") as data:
        with subprocess.Popen([*command, server.name], stdin=subprocess.PIPE, stderr=subprocess.PIPE) as run:
            assert run.stdin is not None and run.stderr is not None
            with contextlib.suppress(BrokenPipeError):
                shutil.copyfileobj(data, run.stdin, _PIECE)
            with contextlib.suppress(BrokenPipeError):
                run.stdin.close()
            said = run.stderr.read().decode(errors="replace").strip()
        if run.returncode != 0:
            raise BackupError(f"The database could not be put back: {said}. Take another backup.")


def _from_store(target: Path) -> Path:
    """Copy all files of an S3 store that are not there yet into the folder of the backups; answers that."""
    _manage(["move_files", str(target)], dict(os.environ))
    return target


def _files_copied(source: Path, target: Path, listing: Path, links: bool) -> tuple[int, int]:
    """Copy what is not there yet, and list all of it; answers how many files there are and their bytes."""
    found = sorted(path for path in source.glob("??/*") if _DIGEST.fullmatch(path.name))
    missing = [path for path in found if not _is_there(path, target / path.name[:2] / path.name)]
    needed = 0 if links else sum(path.stat().st_size for path in missing)
    free = shutil.disk_usage(target).free
    if needed > free:
        raise BackupError(
            f"The files need {needed / 1e9:.1f} GB, and {free / 1e9:.1f} GB are free on the disk of {target}. Make room."
        )
    for path in missing:
        _copied(path, target / path.name[:2] / path.name, links)
    sizes = {path.name: (target / path.name[:2] / path.name).stat().st_size for path in found}
    listing.write_text("".join(f"{digest} {size}\n" for digest, size in sizes.items()))
    return len(sizes), sum(sizes.values())


def _is_there(path: Path, copy: Path) -> bool:
    return copy.is_file() and copy.stat().st_size == path.stat().st_size


def _copied(source: Path, target: Path, links: bool = False) -> None:
    """Copy a file whose name is the SHA-256 of its bytes. Raises `BackupError` where it is not."""
    target.parent.mkdir(parents=True, exist_ok=True)
    if links:
        target.unlink(missing_ok=True)
        with contextlib.suppress(OSError):
            os.link(source, target)
            return
    digest = hashlib.sha256()
    with tempfile.NamedTemporaryFile(dir=target.parent, prefix=".new-", delete=False) as out:
        try:
            with source.open("rb") as data:
                _stream(data, out, digest)
            out.flush()
            os.fsync(out.fileno())
            if digest.hexdigest() != source.name:
                raise BackupError(
                    f"'{source}' is damaged: its bytes are not those that its name tells. Take it from another backup."
                )
            Path(out.name).chmod(0o600)
            Path(out.name).replace(target)
        except BaseException:
            Path(out.name).unlink(missing_ok=True)
            raise


def _stream(source: IO[bytes], target: IO[bytes], digest: Any) -> None:
    while piece := source.read(_PIECE):
        digest.update(piece)
        target.write(piece)


def _digest(path: Path) -> str:
    with path.open("rb") as data:
        return hashlib.file_digest(data, "sha256").hexdigest()


def _manage(arguments: list[str], environment: dict[str, str]) -> str:
    run = subprocess.run([*_MANAGE, *arguments], env=environment, capture_output=True, text=True, check=False)
    if run.returncode != 0:
        raise BackupError(f"'manage.py {arguments[0]}' failed:\n{(run.stdout + run.stderr)[-1500:]}")
    return run.stdout
