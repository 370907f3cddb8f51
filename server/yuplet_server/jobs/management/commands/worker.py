"""The worker: the queue's own, with somebody beside it who takes up what other workers left."""

import threading
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import DatabaseError, connection

from yuplet_server.jobs import actions

ROUND = 5.0
STALE = 24 * 3600


class Command(BaseCommand):
    help = "Do long work until told to stop."

    def handle(self, *args: Any, **options: Any) -> None:
        _remove_old_temporary_files()
        call_command("prune_db_task_results", "--min-age-days=7", verbosity=0)
        call_command("sweep_files", verbosity=0)
        threading.Thread(target=_look_after_others, daemon=True).start()
        call_command("db_worker", interval=0.2, startup_delay=False, verbosity=0)


def _look_after_others() -> None:
    while True:
        try:
            actions.take_up_again()
        except DatabaseError:
            connection.close()
        time.sleep(ROUND)


def _remove_old_temporary_files() -> None:
    """What a killed process left unfinished in the storage a day ago or earlier."""
    for path in Path(settings.BLOBS).glob(".new-*"):
        if path.stat().st_mtime < time.time() - STALE:
            path.unlink(missing_ok=True)
