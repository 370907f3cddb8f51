"""Watches the files that illustrations keep in step with, and follows each change. Ends on SIGTERM or SIGINT."""

import logging
import signal
import threading
from typing import Any

from django.core.management.base import BaseCommand
from django.db import DatabaseError, close_old_connections
from watchfiles import watch

from yuplet_server.handovers.keeping import check_all, folders_watched
from yuplet_server.handovers.models import WatchedSource

log = logging.getLogger(__name__)

GLANCE = 500
"""Milliseconds between two glances where nothing is saved."""
BUSY = 0.1
"""Seconds between two glances while what was saved is read and handed over."""
_BUSY = (WatchedSource.State.READING, WatchedSource.State.WRITING)


class Command(BaseCommand):
    help = __doc__

    def handle(self, *args: Any, **options: Any) -> None:
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        self.stdout.write("Watching the files that illustrations keep in step with.")
        self.stdout.flush()
        while not stop.is_set():
            folders = self._folders()
            if not folders:
                stop.wait(GLANCE / 1000)
                continue
            pause = BUSY
            while self._is_busy() and not stop.wait(pause):
                self._look()
                # What takes long needs no quick look.
                pause = min(pause * 1.2, GLANCE / 1000)
            for _ in watch(*folders, stop_event=stop, rust_timeout=GLANCE, yield_on_timeout=True, recursive=False):
                self._look()
                if self._is_busy() or self._folders() != folders:
                    break

    def _folders(self) -> set[Any]:
        try:
            close_old_connections()
            return set(folders_watched())
        except DatabaseError:
            log.warning("the database is away; looking again")
            return set()

    def _is_busy(self) -> bool:
        try:
            return WatchedSource.objects.filter(state__in=_BUSY).exists()
        except DatabaseError:
            return False

    def _look(self) -> None:
        try:
            close_old_connections()
            check_all()
        except DatabaseError:
            log.warning("the database is away; looking again")
