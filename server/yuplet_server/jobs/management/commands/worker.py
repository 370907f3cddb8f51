"""The worker: several slots that each take work from the queue, and somebody beside them who looks after what others left.

What a job does, it does in a process of its own (`jobs.apart`); told to stop, the worker ends all of them at once.
"""

import datetime
import logging
import signal
import threading
import time
from collections.abc import Sequence
from contextlib import suppress
from functools import partial
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import DatabaseError, connection
from django.utils import timezone
from django.utils.crypto import get_random_string
from django_tasks_db.management.commands.db_worker import Worker

from yuplet_server.accounts import limits, sessions
from yuplet_server.audit.actions import forget_old
from yuplet_server.base import logs
from yuplet_server.files.store import blobs
from yuplet_server.jobs import actions, apart
from yuplet_server.jobs.models import Job

ROUND = 5.0
"""Seconds between two looks at what others left."""
STALE = datetime.timedelta(days=1)
"""After which what was begun to be kept is not going to be."""
SWEEP = 3600.0
"""Seconds between two sweeps."""

log = logging.getLogger(__name__)


class Command(BaseCommand):
    help = "Do long work until told to stop."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--lane", choices=Job.Lane.values, help="only work of this lane; of both where none is named"
        )
        parser.add_argument("--slots", type=int, default=settings.WORKERS, help="how much at once")

    def handle(self, *args: Any, **options: Any) -> None:
        lanes = [options["lane"]] if options["lane"] else list(Job.Lane.values)
        if settings.APART:
            apart.warm()
        if settings.QUEUE:
            # Loaded only where it is used.
            from yuplet_server.jobs import celery_queue

            celery_queue.work(lanes, options["slots"], partial(_look_after, lanes), actions.shut_down)
            return
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        slots = [_Slot(stop, lanes) for _ in range(options["slots"])]
        if not options["lane"]:
            # A few seconds of work never wait for minutes of it.
            slots.append(_Slot(stop, [Job.Lane.SHORT.value]))
        for slot in slots:
            slot.start()
        _look_after(lanes, stop)
        actions.shut_down()
        for slot in slots:
            slot.join(10)


def _look_after(lanes: Sequence[str], stop: threading.Event) -> None:
    """Say that this process is here, take up what others left, and sweep, until told to stop."""
    # Not at once: somebody may be waiting.
    swept = time.monotonic() - SWEEP + 60
    while not stop.is_set():
        try:
            actions.say_here(lanes)
            actions.take_up_again()
            if time.monotonic() - swept > SWEEP:
                swept = time.monotonic()
                _sweep()
        except DatabaseError:
            connection.close()
        except Exception:
            # Whatever is wrong with a sweep, the slots go on with their work.
            log.exception("looking after what others left failed; it is tried again")
        stop.wait(ROUND)
    with suppress(DatabaseError):
        actions.say_gone()
    connection.close()


class _Slot(threading.Thread):
    """One at a time, work of the queue."""

    def __init__(self, stop: threading.Event, lanes: Sequence[str]) -> None:
        super().__init__(daemon=True)
        self._stop_asked = stop
        self._lanes = lanes

    def run(self) -> None:
        while not self._stop_asked.is_set():
            worker = _Worker(self._stop_asked, self._lanes)
            try:
                worker.run()
            except Exception:
                # The database restarts, mostly.
                log.warning("a worker's slot begins anew", exc_info=True)
                connection.close()
                self._stop_asked.wait(1)
        connection.close()


class _Worker(Worker):
    """The queue's own worker, which stops when it is told to."""

    def __init__(self, stop: threading.Event, lanes: Sequence[str]) -> None:
        super().__init__(
            queue_names=list(lanes),
            interval=0.2,
            batch=False,
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id=get_random_string(32),
            excluded_queue_names=[],
        )
        self._stop_asked = stop

    @property
    def running(self) -> bool:
        return not self._stop_asked.is_set()

    @running.setter
    def running(self, value: bool) -> None:
        """The base class sets it; only the event counts."""


def _sweep() -> None:
    """What nobody needs any more: by rule, also while the worker runs."""
    if not settings.QUEUE:
        call_command("prune_db_task_results", "--min-age-days=7", verbosity=0)
    call_command("clearsessions", verbosity=0)
    sessions.forget_ended()
    limits.sweep()
    forget_old()
    logs.begin_anew()
    call_command("sweep_files", verbosity=0)
    call_command("count_bytes", verbosity=0)
    blobs().clear_unfinished(timezone.now() - STALE)
    actions.clear_work_folders()
