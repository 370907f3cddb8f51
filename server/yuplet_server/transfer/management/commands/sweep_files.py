"""Removes kept files that nothing refers to any more: of illustrations, packages, projects and kept parts that were removed."""

import datetime
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.utils import timezone

from yuplet_server.handovers.models import HandOver, Planned, ProjectHandOver
from yuplet_server.illustrations.models import DerivedLayer, Halves, Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import masks_in
from yuplet_server.projects.models import Project
from yuplet_server.rehearsals.models import Film, Rehearsal
from yuplet_server.shelf.models import Kept
from yuplet_server.transfer.actions import remove_unreachable
from yuplet_server.transfer.models import Archive

OLD = 24 * 3600
"""Seconds. A younger file may be about to be referred to; keeping the same bytes again makes a file young again."""


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        old = timezone.now() - datetime.timedelta(days=settings.BIN_DAYS)
        for kind in (Project, Illustration):
            kind.everything.filter(removed_at__lt=old).delete()
        for illustration in Illustration.everything.all().iterator(chunk_size=50):
            remove_unreachable(illustration, timezone.now() - datetime.timedelta(seconds=OLD))
        Planned.objects.filter(at__lt=timezone.now() - datetime.timedelta(seconds=OLD)).delete()
        Halves.objects.exclude(of__in=LayerImage.objects.values("pixels")).delete()
        # Files first, then what is referred to: what is kept in between is not in the list of files.
        found = [path for path in Path(settings.BLOBS).glob("??/*") if path.stat().st_mtime < time.time() - OLD]
        used = {
            *(digest for row in Revision.objects.values_list("sha256", "preview", "picture") for digest in row),
            *masks_in(DerivedLayer.objects.values_list("record", flat=True)),
            *LayerImage.objects.values_list("pixels", flat=True),
            *LayerImage.objects.values_list("thumbnail", flat=True),
            *Halves.objects.values_list("file", flat=True),
            *(file["sha256"] for files in HandOver.objects.values_list("files", flat=True) for file in files),
            *(file["sha256"] for files in ProjectHandOver.objects.values_list("files", flat=True) for file in files),
            *(digest for row in Kept.objects.values_list("picture", "thumbnail") for digest in row),
            *Archive.objects.values_list("sha256", flat=True),
            *Rehearsal.objects.values_list("archive", flat=True),
            *Film.objects.values_list("file", flat=True),
            *(one["archive"] for more in Rehearsal.objects.values_list("more", flat=True) for one in more),
            *(digest for one in Rehearsal.objects.values_list("pictures", flat=True) for digest in one.values()),
        }
        removed = [path for path in found if path.name not in used]
        for path in removed:
            path.unlink(missing_ok=True)
        if removed and options["verbosity"] > 0:
            self.stdout.write(f"{len(removed)} files that nothing refers to were removed.")
