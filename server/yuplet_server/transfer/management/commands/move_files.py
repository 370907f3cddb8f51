"""Copies every file that a row refers to into another store, and proves that all of them are there.

Nothing is taken away where they are now, and people can go on working: run it again for what came meanwhile, the last time while Yuplet is
stopped, and start it with YUPLET_STORE as it is told at the end.
"""

from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.utils.module_loading import import_string

from yuplet_server.files.chosen import place, storage
from yuplet_server.files.store import BlobStore, blobs
from yuplet_server.transfer.kept_files import referred_to

_AT_ONCE = 8


class Command(BaseCommand):
    help = __doc__

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("to", help="'disk', s3://bucket, s3://bucket/folder, or a folder of this machine")

    def handle(self, *args: Any, **options: Any) -> None:
        to = "" if options["to"] == "disk" else options["to"]
        try:
            if to.startswith("/"):
                entry = storage(None, **{**settings.KEPT, "folder": Path(to)})
            else:
                entry = storage(place(to), **settings.KEPT)
        except ValueError as error:
            raise CommandError(f"'{options['to']}' should be disk, {error}, or a folder from the root.") from None
        if entry == settings.STORAGES["default"]:
            raise CommandError("The files are kept there already. Name the store that they are to be in.")
        target: BlobStore = import_string(entry["BACKEND"])(**entry["OPTIONS"])
        # What work in progress refers to is not in the database yet: it is copied by the last run.
        wanted = sorted(referred_to())
        with ThreadPoolExecutor(_AT_ONCE) as pool:
            copied = sum(pool.map(lambda digest: _copied(digest, target), wanted))
            wrong = [
                digest
                for digest, is_right in zip(wanted, pool.map(target.is_right, wanted), strict=True)
                if not is_right
            ]
        if wrong:
            raise CommandError(
                f"{len(wrong):,} of {len(wanted):,} files are missing or damaged there, {wrong[0]} among them. Nothing was changed here."
                " Run 'check_files' to see whether they are right here, and this again."
            )
        self.stdout.write(
            f"{copied:,} files were copied; all {len(wanted):,} that rows refer to are there and right."
            + ("" if to.startswith("/") else f"\nStart Yuplet with YUPLET_STORE={to or '(none)'} to use them.")
        )


def _copied(digest: str, target: BlobStore) -> int:
    if target.exists(digest):
        return 0
    try:
        target.keep_pieces(blobs().stream(digest)[1])
    except FileNotFoundError:
        return 0  # the proof says so
    return 1
