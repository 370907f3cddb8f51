"""Looks whether each file that a row refers to is there, with the bytes that its name tells."""

from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.core.management.base import BaseCommand, CommandError

from yuplet_server.files.store import blobs
from yuplet_server.illustrations.models import Illustration
from yuplet_server.projects.models import Project
from yuplet_server.transfer.kept_files import referred_to


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        wanted = sorted(referred_to())
        with ThreadPoolExecutor(2) as pool:
            wrong = [
                digest for digest, right in zip(wanted, pool.map(blobs().is_right, wanted), strict=True) if not right
            ]
        if wrong:
            raise CommandError(
                f"{len(wrong)} of {len(wanted)} files are missing or damaged, {wrong[0]} among them. Take them from a backup."
            )
        projects, illustrations = Project.objects.count(), Illustration.objects.count()
        self.stdout.write(
            f"{projects:,} projects and {illustrations:,} illustrations; all {len(wanted):,} files that they refer to are there and right."
        )
