"""Removes kept files that nothing refers to any more: of illustrations, packages, projects and kept parts that were removed."""

import datetime
import fcntl
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.utils import timezone

from yuplet_server.files.store import blobs
from yuplet_server.handovers.models import Planned
from yuplet_server.illustrations.models import Halves, Illustration, LayerImage
from yuplet_server.projects.models import Project
from yuplet_server.transfer.actions import remove_unreachable
from yuplet_server.transfer.kept_files import referred_to

OLD = 24 * 3600
"""Seconds. A younger file may be about to be referred to; keeping the same bytes again makes a file young again."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        with (settings.VAR / "sweep.lock").open("w") as lock:
            try:
                fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                return  # a backup is being made, which may need what nothing refers to any more; the next sweep comes
            self._sweep(options["verbosity"])

    def _sweep(self, verbosity: int) -> None:
        old = timezone.now() - datetime.timedelta(days=settings.BIN_DAYS)
        for kind in (Project, Illustration):
            kind.everything.filter(removed_at__lt=old).delete()
        for illustration in Illustration.everything.all().iterator(chunk_size=50):
            remove_unreachable(illustration, timezone.now() - datetime.timedelta(seconds=OLD))
        Planned.objects.filter(at__lt=timezone.now() - datetime.timedelta(seconds=OLD)).delete()
        Halves.objects.exclude(of__in=LayerImage.objects.values("pixels")).delete()
        # Files first, then what is referred to: what is kept in between is not in the list of files.
        found = list(blobs().kept_before(timezone.now() - datetime.timedelta(seconds=OLD)))
        used = referred_to()
        removed = [digest for digest in found if digest not in used]
        for digest in removed:
            blobs().delete(digest)
        if removed and verbosity > 0:
            self.stdout.write(f"{len(removed)} files that nothing refers to were removed.")
