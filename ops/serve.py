"""Runs Yuplet until it is told to stop: database, worker and web server; restarts what falls over."""

import argparse
import errno
import fcntl
import os
import signal
import socket
import subprocess
import sys
import time
from pathlib import Path
from types import FrameType

from database import ROOT, CannotStart, Database, say, settings

PYTHON = sys.executable
MANAGE = [PYTHON, str(ROOT / "server" / "manage.py")]


class _Stop(Exception):
    """Somebody asked for the end."""


def main() -> int:
    options = _options()
    folder = Path(os.environ.get("YUPLET_VAR", ROOT / "var"))
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _ask_to_stop)
    try:
        _check_address(options.host, options.port)
        with _only_one(folder):
            return _run(folder, options.host, options.port)
    except CannotStart as error:
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
    parser.add_argument("--port", type=int, default=8600)
    return parser.parse_args()


def _run(folder: Path, host: str, port: int) -> int:
    database = Database(folder)
    children: dict[str, subprocess.Popen[bytes]] = {}
    try:
        database.start()
        environment = {**database.environment(), "YUPLET_HOST": host}
        for step in (["migrate", "--verbosity=0"], ["load_demo"]):
            if subprocess.run([*MANAGE, *step], env=environment, check=False).returncode != 0:
                raise CannotStart(f"'manage.py {step[0]}' failed; what it printed stands above.")
        commands = {
            "worker": [*MANAGE, "worker"],
            "web": [
                PYTHON, "-m", "gunicorn", "--chdir", str(ROOT / "server"), "--bind", f"{host}:{port}",
                "--worker-class=gthread", "--workers=2", "--threads=8", "--timeout=120", "--log-level=warning",
                "--no-control-socket", "yuplet_server.project.wsgi:application",
            ],
        }  # fmt: skip
        if os.environ.get("YUPLET_ROOTS"):
            commands["watcher"] = [*MANAGE, "keep_in_step"]
        for name, command in commands.items():
            children[name] = subprocess.Popen(command, env=environment, start_new_session=True)
        _wait_for(host, port, children["web"])
        say(
            f"\nYuplet is ready: http://{host}:{port}/\n  Demo account:  demo\n  Password:      {settings(folder)['demo_password']}\nCtrl-C stops it."
        )
        _keep_alive(database, commands, children, environment)
    except _Stop:
        say("\nStopping ...")
    finally:
        for number in (signal.SIGINT, signal.SIGTERM):
            signal.signal(number, signal.SIG_IGN)
        for child in children.values():
            _end(child)
        database.stop()
    return 0


def _keep_alive(
    database: Database,
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
        for name, child in list(children.items()):
            if child.poll() is not None:
                say(f"The {name} ended with status {child.returncode}; starting it again.")
                children[name] = subprocess.Popen(commands[name], env=environment, start_new_session=True)


def _end(child: subprocess.Popen[bytes]) -> None:
    if child.poll() is None:
        child.send_signal(signal.SIGTERM)
        try:
            child.wait(15)
        except subprocess.TimeoutExpired:
            child.kill()
            child.wait()


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


def _wait_for(host: str, port: int, web: subprocess.Popen[bytes]) -> None:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        if web.poll() is not None:
            raise CannotStart(f"The web server ended with status {web.returncode}; what it printed stands above.")
        try:
            socket.create_connection((host, port), 1).close()
            return
        except OSError:
            time.sleep(0.1)
    raise CannotStart("The web server did not answer within a minute.")


def _ask_to_stop(number: int, frame: FrameType | None) -> None:
    raise _Stop


if __name__ == "__main__":
    sys.exit(main())
