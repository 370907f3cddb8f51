"""Runs Yuplet until it is told to stop: database, worker, web server and the front server before it; restarts what falls over."""

import argparse
import contextlib
import errno
import fcntl
import http.client
import os
import shutil
import signal
import socket
import ssl
import subprocess
import sys
import time
from collections.abc import Collection
from pathlib import Path
from types import FrameType

import backups

from database import ROOT, CannotStart, Database, Elsewhere, child, say, settings

sys.path.append(str(ROOT / "server"))
from front import front  # noqa: E402

from yuplet_server.project.environment import SettingError, require_all, value  # noqa: E402

PYTHON = sys.executable
PARTS = ("web", "worker", "short", "watcher")
"""What is run: the web server with the front server before it, workers for all work and for that of a few seconds, the watcher of folders."""
PATIENCE = 180
"""Seconds for which the web server is waited for: on a machine with much to do it starts slowly."""
MANAGE = [PYTHON, str(ROOT / "server" / "manage.py")]


class _Stop(Exception):
    """Somebody asked for the end."""


def main() -> int:
    folder = Path(os.environ.get("YUPLET_VAR", ROOT / "var"))
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _ask_to_stop)
    try:
        require_all()
        options = _options()
        if "web" in options.only:
            _check_address(options.host, options.port)
        with _only_one(folder):
            return _run(folder, options.host, options.port, options.demo, options.only)
    except (CannotStart, SettingError) as error:
        print(f"yuplet: {error}", file=sys.stderr)
        return 2
    except OSError as error:
        print(
            f"yuplet: {error.filename or folder}: {error.strerror}. Check the rights and the room on the disk.",
            file=sys.stderr,
        )
        return 2
    except _Stop:
        return 0


def _options() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="./start")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=_port, default=8600)
    parser.add_argument(
        "--demo", action="store_true", help="load the demo, also beside other projects or after it was removed"
    )
    parser.add_argument(
        "--only", nargs="+", choices=PARTS, metavar="PART", default=PARTS,
        help=f"only some parts, where several machines share the work: {', '.join(PARTS)}",
    )  # fmt: skip
    options = parser.parse_args()
    if options.only != PARTS and not value("YUPLET_DATABASE"):
        parser.error("--only needs a database that other machines reach: set YUPLET_DATABASE")
    return options


def _port(text: str) -> int:
    if not text.isdigit() or not 0 < int(text) < 65536:
        raise argparse.ArgumentTypeError(f"'{text}' is no port; ports are whole numbers from 1 to 65535")
    return int(text)


def _run(folder: Path, host: str, port: int, demo: bool, only: Collection[str]) -> int:
    is_new = not (folder / "mariadb").exists()
    server = value("YUPLET_DATABASE")
    database = Elsewhere(folder, server.host, server.port) if server else Database(folder)
    children: dict[str, subprocess.Popen[bytes]] = {}
    try:
        database.start()
        environment = {**database.environment(), **_temporary(folder), "YUPLET_HOST": host}
        if not is_new and not server:
            _keep_what_was_before(folder)
        # What several machines share is brought to another version by somebody, and not by whichever machine is first.
        prepare = [*MANAGE, "prepare", *(["--demo"] if demo else []), *(["--shared"] if server else [])]
        if subprocess.run(prepare, env=environment, check=False, **child()).returncode != 0:
            raise CannotStart("'manage.py prepare' failed; what it printed stands above.")
        if not server:
            (folder / "schema").write_text(backups.schema())
        commands = {
            "worker": [*MANAGE, "worker"],
            "short": [*MANAGE, "worker", "--lane", "short", "--slots", "1"],
            "watcher": [*MANAGE, "keep_in_step"],
            "web": [
                PYTHON, "-m", "gunicorn", "--chdir", str(ROOT / "server"), "--bind", f"unix:{database.run}/web.sock",
                "--umask=0077", "--worker-class=gthread", "--workers=2", "--threads=16", "--timeout=120", "--log-level=warning",
                # Longer than the front server keeps a connection: it must never send a request on one that is just being closed.
                "--keep-alive=75",
                "--no-control-socket", "yuplet_server.project.wsgi:application",
            ],
            "streams": [
                PYTHON, "-m", "uvicorn", "--app-dir", str(ROOT / "server"), "--uds", f"{database.run}/streams.sock",
                "--log-level=warning", "--no-access-log", "--timeout-graceful-shutdown=1", "yuplet_server.project.asgi:application",
            ],
            "front": front(folder, database.run, host, port) if "web" in only else [],
        }  # fmt: skip
        wanted = {*only, *(["front", "streams"] if "web" in only else [])}
        if not value("YUPLET_QUEUE"):
            # The other worker has a place for short work itself.
            wanted -= {"short"} if "worker" in only else set()
        if not value("YUPLET_ROOTS"):
            wanted -= {"watcher"}
        commands = {name: command for name, command in commands.items() if name in wanted}
        # The web processes add their figures up there.
        figures = database.run / "figures"
        figures.mkdir(mode=0o700)
        environment["PROMETHEUS_MULTIPROC_DIR"] = str(figures)
        for name, command in commands.items():
            children[name] = subprocess.Popen(command, env=environment, **child())
        if "web" in wanted:
            _wait_for(host, port, children)
            addresses = value("YUPLET_ADDRESSES") or (f"http://{host}:{port}",)
            say(f"\nYuplet is ready: {', '.join(f'{one}/' for one in addresses)}")
        else:
            say(f"\nRunning: {', '.join(commands)}")
        if not server and (folder / "demo-loaded").exists():
            say(f"  Demo account:  demo\n  Password:      {settings(folder)['demo_password']}")
        say("Ctrl-C stops it.")
        _keep_alive(database, commands, children, environment)
    except _Stop:
        say("\nStopping ...")
    finally:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_IGN)
        for one in children.values():
            _end(one)
        database.stop()
    return 0


def _keep_what_was_before(folder: Path) -> None:
    """Before another version changes the tables, a copy of all data is made, so that one can go back."""
    known = folder / "schema"
    if known.exists() and known.read_text() == backups.schema():
        return
    into = folder / "before-upgrades"
    say("This is another version of Yuplet than the one that was here before. Making a copy of the data first ...")
    try:
        one = backups.made(folder, into, lambda _: None, links=True)
        backups.kept(into, _UPGRADES)
    except backups.BackupError as error:
        raise CannotStart(f"{error} Nothing was changed.") from error
    say(
        f"  It is {one.folder}. To go back, stop Yuplet, take the earlier version, and run\n"
        f"  ./yuplet-admin restore {into} --name {one.folder.name} --replace"
    )


_UPGRADES = 3
"""Copies from before upgrades that are kept."""


def _keep_alive(
    database: Database | Elsewhere,
    commands: dict[str, list[str]],
    children: dict[str, subprocess.Popen[bytes]],
    environment: dict[str, str],
) -> None:
    """Start again what has ended, not more often than every two seconds; the database on the same port."""
    while True:
        time.sleep(2)
        if not database.is_running:
            say("The database ended; starting it again.")
            database.start()
        for name, one in list(children.items()):
            if one.poll() is not None:
                say(f"The {name} ended with status {one.returncode}; starting it again.")
                _end_group(one)
                children[name] = subprocess.Popen(commands[name], env=environment, **child())


def _end(one: "subprocess.Popen[bytes]") -> None:
    if one.poll() is None:
        one.send_signal(signal.SIGTERM)
        try:
            one.wait(15)
        except subprocess.TimeoutExpired:
            one.kill()
            one.wait()
    _end_group(one)


def _end_group(one: "subprocess.Popen[bytes]") -> None:
    """What a process that has ended left behind: its own children, which would hold the address or the work."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(one.pid, signal.SIGKILL)


def _temporary(folder: Path) -> dict[str, str]:
    """Temporary files are on the disk of the folder, and those of a run that was killed are gone at the next start."""
    own = folder / "tmp"
    shutil.rmtree(own, ignore_errors=True)
    own.mkdir(mode=0o700)
    # Sockets are among them, whose paths may not be long.
    return {"TMPDIR": str(own)} if len(str(own)) <= 60 else {}


def _check_address(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            if error.errno == errno.EADDRINUSE:
                raise CannotStart(
                    f"Port {port} is in use. End what listens there, or choose another: ./start --port {port + 1}"
                ) from error
            raise CannotStart(
                f"The address {host}:{port} cannot be used ({error.strerror}). Choose another with --host and --port."
            ) from error


class _only_one:  # noqa: N801 - used like a function
    """Holds a lock on the folder, so that two starts never share one database."""

    def __init__(self, folder: Path) -> None:
        folder.mkdir(parents=True, exist_ok=True)
        self._file = (folder / "lock").open("w")

    def __enter__(self) -> None:
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise CannotStart(
                "Yuplet is running from this folder already. Use that one, or stop it with Ctrl-C first."
            ) from None

    def __exit__(self, *_: object) -> None:
        self._file.close()


def _wait_for(host: str, port: int, children: "dict[str, subprocess.Popen[bytes]]") -> None:
    """Until the application answers through the front server."""
    deadline = time.monotonic() + PATIENCE
    address = {"0.0.0.0": "127.0.0.1", "::": "::1"}.get(host, host)  # noqa: S104
    while time.monotonic() < deadline:
        for name in ("web", "front"):
            if children[name].poll() is not None:
                raise CannotStart(
                    f"The {name} server ended with status {children[name].returncode}; what it printed stands above."
                )
        with contextlib.suppress(OSError, http.client.HTTPException):
            if value("YUPLET_CERTIFICATE"):
                # Whether it answers, and not who it is: its name is the studio's, and this is the machine itself.
                trusting = ssl._create_unverified_context()  # noqa: S323
                connection: http.client.HTTPConnection = http.client.HTTPSConnection(
                    address, port, timeout=10, context=trusting
                )
            else:
                connection = http.client.HTTPConnection(address, port, timeout=10)
            connection.request("GET", "/api/session", headers={"Host": "127.0.0.1"})
            # Where https ends before ours, this request is told to go there.
            if connection.getresponse().status in (200, 301):
                return
        time.sleep(0.1)
    raise CannotStart("The web server did not answer within three minutes.")


def _ask_to_stop(number: int, frame: FrameType | None) -> None:
    raise _Stop


if __name__ == "__main__":
    sys.exit(main())
