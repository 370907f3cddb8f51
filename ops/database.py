"""Our own MariaDB: data under var/, loopback only, never the system's own instance."""

import contextlib
import ctypes
import json
import os
import secrets
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent


class CannotStart(Exception):
    """Something on this machine is in the way; the sentence says what to do."""


def run_folder(folder: Path) -> Path:
    """Where sockets and process numbers of a run are: under its folder, or among the temporary ones where that is too far down for a socket."""
    own = folder / "run"
    if len(str(own)) > 70:
        return Path(tempfile.mkdtemp(prefix="yuplet-"))
    shutil.rmtree(own, ignore_errors=True)
    own.mkdir(parents=True, mode=0o700)
    return own


def child() -> dict[str, Any]:
    """How processes are started that end when this one does, whatever ends it; each leads a group of its own."""
    return {"start_new_session": True, "preexec_fn": _end_with_parent}


def _end_with_parent() -> None:
    ctypes.CDLL(None).prctl(1, signal.SIGTERM)  # PR_SET_PDEATHSIG


def free_port() -> int:
    """A port on loopback that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def settings(folder: Path) -> dict[str, str]:
    """The secrets of an installation, made at the first call and kept readable for its owner only."""
    path = folder / "secrets.json"
    if not path.exists():
        folder.mkdir(parents=True, exist_ok=True)
        value = {
            "secret_key": secrets.token_urlsafe(50),
            "database_password": secrets.token_urlsafe(24),
            "demo_password": "-".join(secrets.token_hex(2) for _ in range(3)),
        }
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w") as file:
            json.dump(value, file)
    return dict(json.loads(path.read_text()))


_NOT_KEPT = ["--innodb-flush-log-at-trx-commit=0", "--innodb-doublewrite=OFF"]
"""Tests beside a process that writes much, as an installation does, waited half a minute for the disk at times."""


class Database:
    """A running MariaDB server with the database and the account that Django uses."""

    def __init__(self, folder: Path, is_kept: bool = True) -> None:
        """One whose data need not outlive the machine (`is_kept` false) does not wait for the disk."""
        self.folder = folder
        self._is_kept = is_kept
        self.data = folder / "mariadb"
        self.log = folder / "mariadb.log"
        self.port = free_port()
        self._password = settings(folder)["database_password"]
        self._process_file = folder / "mariadb.pid"
        self._wait_for_another()
        self.run = run_folder(folder)
        self._process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        """Start the server and wait until it answers; raises `CannotStart`."""
        server = shutil.which("mariadbd") or shutil.which("mariadbd", path="/usr/sbin")
        if server is None:
            raise CannotStart("MariaDB is missing. Install Debian's package 'mariadb-server'.")
        if not (self.data / "mysql").exists():
            self._install()
        account = self.folder / "account.sql"
        with os.fdopen(os.open(account, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as file:
            file.write(self._account_sql())
        self._process = subprocess.Popen(
            [
                server, "--no-defaults", *self._user(),
                f"--datadir={self.data}", f"--socket={self.run}/s", f"--pid-file={self._process_file}",
                "--bind-address=127.0.0.1", f"--port={self.port}", f"--init-file={account}", f"--log-error={self.log}",
                "--character-set-server=utf8mb4", "--collation-server=utf8mb4_bin", "--max-allowed-packet=64M",
                "--innodb-buffer-pool-size=256M", "--skip-name-resolve", "--skip-log-bin",
                *([] if self._is_kept else _NOT_KEPT),
            ],
            stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **child(),
        )  # fmt: skip
        deadline = time.monotonic() + 60
        while not self._answers():
            if self._process.poll() is not None or time.monotonic() > deadline:
                raise CannotStart(f"MariaDB did not start; the end of {self.log} says:\n{self._last_lines()}")
            time.sleep(0.1)
        account.unlink()
        # For Django's own command line, which finds the running server by it.
        (self.folder / "port").write_text(str(self.port))

    def stop(self) -> None:
        """Stop the server and wait for it."""
        if self._process is not None and self._process.poll() is None:
            self._process.send_signal(signal.SIGTERM)
            try:
                self._process.wait(60)
            except subprocess.TimeoutExpired:
                self._process.kill()
        shutil.rmtree(self.run, ignore_errors=True)
        (self.folder / "port").unlink(missing_ok=True)

    @property
    def is_running(self) -> bool:
        """Whether the server process is there."""
        return self._process is not None and self._process.poll() is None

    def environment(self) -> dict[str, str]:
        """What Django's settings need to find the server."""
        # One that somebody else looks after is not meant, even where it is set.
        own = {name: text for name, text in os.environ.items() if name != "YUPLET_DATABASE"}
        return {**own, "YUPLET_VAR": str(self.folder), "YUPLET_DATABASE_PORT": str(self.port)}

    def _wait_for_another(self) -> None:
        """A run that was killed leaves a database that is about to end; two never share the same data."""
        deadline = time.monotonic() + 60
        while self._is_another_there():
            if time.monotonic() > deadline:
                number = self._process_file.read_text().strip()
                raise CannotStart(
                    f"A database of an earlier run still uses {self.data}. End it (process {number}) and start again."
                )
            time.sleep(0.2)

    def _is_another_there(self) -> bool:
        try:
            command = Path("/proc", self._process_file.read_text().strip(), "cmdline").read_bytes()
        except OSError:
            return False
        return f"--datadir={self.data}".encode() in command.split(b"\0")

    def _install(self) -> None:
        shutil.rmtree(self.data, ignore_errors=True)
        made = subprocess.run(
            ["mariadb-install-db", "--no-defaults", *self._user(), f"--datadir={self.data}",
             "--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if made.returncode != 0:
            shutil.rmtree(self.data, ignore_errors=True)
            raise CannotStart(f"The database could not be made in {self.data}:\n{(made.stdout + made.stderr)[-800:]}")

    def _account_sql(self) -> str:
        lines = [
            "CREATE DATABASE IF NOT EXISTS yuplet CHARACTER SET utf8mb4 COLLATE utf8mb4_bin;",
            f"CREATE OR REPLACE USER 'yuplet'@'127.0.0.1' IDENTIFIED BY '{self._password}';",
            "GRANT ALL ON yuplet.* TO 'yuplet'@'127.0.0.1';",
            "GRANT ALL ON `test\\_yuplet%`.* TO 'yuplet'@'127.0.0.1';",
            f"ALTER USER 'root'@'localhost' IDENTIFIED BY '{secrets.token_urlsafe(24)}';",
        ]
        return "\n".join(lines) + "\n"

    def _user(self) -> list[str]:
        return ["--user=root"] if os.geteuid() == 0 else []

    def _answers(self) -> bool:
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", self.port), 1) as connection:
            connection.settimeout(2)
            return len(connection.recv(4)) == 4
        return False

    def _last_lines(self) -> str:
        try:
            return "\n".join(self.log.read_text(errors="replace").splitlines()[-6:])
        except OSError as error:
            return str(error)


class Elsewhere:
    """A MariaDB server that somebody else looks after; it takes the place of `Database`."""

    is_running = True

    def __init__(self, folder: Path, host: str, port: int) -> None:
        self.folder = folder
        self._host, self._port = host, port
        settings(folder)
        self.run = run_folder(folder)

    def start(self) -> None:
        """Wait until it answers; raises `CannotStart`."""
        deadline = time.monotonic() + 60
        while True:
            try:
                socket.create_connection((self._host, self._port), 3).close()
                return
            except OSError as error:
                if time.monotonic() > deadline:
                    raise CannotStart(
                        f"The database {self._host}:{self._port} does not answer ({error.strerror})."
                    ) from error
            time.sleep(0.5)

    def stop(self) -> None:
        shutil.rmtree(self.run, ignore_errors=True)

    def environment(self) -> dict[str, str]:
        """What Django's settings need to find the server."""
        return {**os.environ, "YUPLET_VAR": str(self.folder)}


def say(text: str) -> None:
    """Print at once, also into a pipe."""
    print(text, file=sys.stdout, flush=True)
