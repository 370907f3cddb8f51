"""Backups of an installation: make, list, try and put back. The data are those of YUPLET_VAR, else of `var`."""

import argparse
import os
import subprocess
import sys
from pathlib import Path

import backups
from backups import BackupError

from database import ROOT, CannotStart, Elsewhere, say

sys.path.append(str(ROOT / "server"))
from yuplet_server.project.environment import SettingError, require_all, value  # noqa: E402


def main(arguments: list[str] | None = None) -> int:
    """Run a command; answers the exit status: 0, 1 where a backup is not what it should be, 2 where a command cannot be understood."""
    options = _parser().parse_args(arguments)
    var = Path(os.environ.get("YUPLET_VAR") or ROOT / "var")
    try:
        require_all()
        options.run(options, var)
    except (BackupError, CannotStart, SettingError) as error:
        print(f"yuplet-admin: {error}", file=sys.stderr)
        return 1
    return 0


def _backup(options: argparse.Namespace, var: Path) -> None:
    one = backups.made(var, options.folder, say)
    size = one.about["database"]["bytes"] + one.about["files"]["bytes"]
    say(f"Backup {one.folder.name}: the database and {one.about['files']['count']:,} files, {size / 1e6:,.1f} MB.")
    if options.verify:
        say(backups.tried(one, say))
    if options.keep is not None:
        for name in backups.kept(options.folder, options.keep):
            say(f"Removed {name}.")


def _list(options: argparse.Namespace, var: Path) -> None:
    for one in backups.found_in(options.folder):
        is_same = one.about["schema"] == backups.schema()
        files = one.about["files"]
        say(
            f"{one.folder.name}  {files['count']:,} files, {files['bytes'] / 1e6:,.1f} MB"
            f"{'' if is_same else '  (of another version of Yuplet)'}"
        )


def _verify(options: argparse.Namespace, var: Path) -> None:
    one = backups.chosen(options.folder, options.name)
    say(f"{one.folder.name}: {backups.tried(one, say)}")


def _restore(options: argparse.Namespace, var: Path) -> None:
    one = backups.chosen(options.folder, options.name)
    with backups.stopped(var):
        aside = backups.put_back(one, var, say, options.replace)
    say(f"{one.folder.name} is in {var}. Start it with ./start.")
    if aside is not None:
        say(f"What was there before is in {aside}. Remove it when it is not needed any more.")


def _upgrade(options: argparse.Namespace, var: Path) -> None:
    server = value("YUPLET_DATABASE")
    if server is None:
        raise CannotStart("There is nothing to do: ./start brings its own database to its version, after a backup.")
    database = Elsewhere(var, server.host, server.port)
    database.start()
    try:
        manage = [sys.executable, str(ROOT / "server" / "manage.py"), "migrate", "--verbosity=1"]
        if subprocess.run(manage, env=database.environment(), check=False).returncode != 0:
            raise CannotStart("The tables could not be brought to this version; what was printed stands above.")
    finally:
        database.stop()


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="./yuplet-admin", description=__doc__)
    commands = parser.add_subparsers(required=True, metavar="COMMAND")
    for name, run, about in (
        ("backup", _backup, "make a backup, while people work"),
        ("backups", _list, "list the backups in a folder"),
        ("verify", _verify, "put a backup back into a folder of its own, and look whether all of it is there"),
        ("restore", _restore, "put a backup back; Yuplet must not be running"),
    ):
        one = commands.add_parser(name, help=about, description=about)
        one.set_defaults(run=run)
        one.add_argument("folder", type=Path, metavar="DIR", help="the folder of the backups")
        if name in ("verify", "restore"):
            one.add_argument("--name", metavar="NAME", help="which one; the newest where none is named")
        if name == "backup":
            one.add_argument("--verify", action="store_true", help="try it at once")
            one.add_argument("--keep", type=_positive, metavar="N", help="remove all but the newest N afterwards")
        if name == "restore":
            one.add_argument("--replace", action="store_true", help="move aside what is there")
    about = "bring a database that several machines share to this version, or make its tables"
    upgrade = commands.add_parser(
        "upgrade", help=about, description=f"{about}. Take a backup and stop all machines first."
    )
    upgrade.set_defaults(run=_upgrade)
    return parser


def _positive(text: str) -> int:
    if not text.isdigit() or not 0 < int(text) < 100_000:
        raise argparse.ArgumentTypeError(f"'{text}' is not a whole number above 0")
    return int(text)


if __name__ == "__main__":
    sys.exit(main())
