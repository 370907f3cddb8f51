"""The queue on Redis, for several machines: Celery behind Django's Tasks interface.

It carries what wakes a worker up and no more; who does what is decided by the rows (`jobs.actions`). Loaded only where the settings name such a queue.
"""

import functools
import logging
import threading
from collections.abc import Callable, Sequence
from typing import Any
from uuid import uuid4

from celery import Celery, signals
from django.conf import settings
from django.db import close_old_connections
from django.utils import timezone
from django.utils.module_loading import import_string
from django_tasks.backends.base import BaseTaskBackend
from django_tasks.base import Task, TaskResult, TaskResultStatus
from kombu.exceptions import OperationalError

log = logging.getLogger(__name__)

_NAME = "yuplet.task"
_SECONDS = 3
"""For which Redis may be silent."""


@functools.cache
def app() -> Celery:
    """Celery as it is used here."""
    made = Celery("yuplet", broker=settings.QUEUE, set_as_current=False)
    made.conf.update(
        accept_content=["json"],
        task_serializer="json",
        task_ignore_result=True,
        # What a killed machine had taken is given to others, and nobody holds what another could begin.
        task_acks_late=True,
        worker_prefetch_multiplier=1,
        broker_connection_retry_on_startup=True,
        broker_connection_max_retries=None,
        broker_connection_timeout=_SECONDS,
        broker_transport_options={
            "global_keyprefix": "yuplet-",
            "queue_order_strategy": "priority",
            "socket_timeout": _SECONDS,
            "socket_connect_timeout": _SECONDS,
            "visibility_timeout": int(2 * settings.JOB_LIMITS["seconds"]),
            "max_retries": 0,
        },
        worker_hijack_root_logger=False,
        worker_redirect_stdouts=False,
        worker_enable_remote_control=False,
    )
    made.task(name=_NAME)(_run)
    return made


def _run(path: str, arguments: Sequence[Any], named: dict[str, Any]) -> None:
    """What a worker does with a message: only tasks of ours, whatever stands there."""
    task = import_string(path) if path.startswith("yuplet_server.") else None
    if not isinstance(task, Task):
        log.error("the queue holds something that is no task: %r", path)
        return
    close_old_connections()
    try:
        task.func(*arguments, **named)
    finally:
        close_old_connections()


class CeleryBackend(BaseTaskBackend):
    """Tasks are sent as messages. One that cannot be sent is looked up in the rows later, by a worker (`actions.take_up_again`)."""

    def enqueue(self, task: Any, args: Any, kwargs: Any) -> Any:
        self.validate_task(task)
        try:
            app().send_task(_NAME, [task.module_path, list(args), dict(kwargs)], queue=task.queue_name, retry=False)
        except OperationalError as error:
            log.warning("the queue does not answer, a worker looks the work up itself: %s", error)
        return TaskResult(
            task=task, id=str(uuid4()), status=TaskResultStatus.READY, enqueued_at=timezone.now(), started_at=None, finished_at=None,
            last_attempted_at=None, args=list(args), kwargs=dict(kwargs), backend=self.alias, errors=[], worker_ids=[],
        )  # fmt: skip


def answers() -> bool:
    """Whether Redis does."""
    try:
        with app().connection_for_write() as connection:
            connection.ensure_connection(max_retries=1, timeout=_SECONDS)
            connection.default_channel.client.ping()
    except Exception:
        return False
    return True


def work(
    queues: Sequence[str], slots: int, beside: Callable[[threading.Event], None], ending: Callable[[], None]
) -> None:
    """Take messages until told to stop, `slots` at once, those of the first queue first; `beside` runs in a thread of its own,
    `ending` when the end is asked for.
    """
    stop = threading.Event()

    def end(**_: Any) -> None:
        stop.set()
        ending()

    signals.worker_shutting_down.connect(end, weak=False)
    # What Celery knows of logging stays its own: ours is set up.
    signals.setup_logging.connect(lambda **_: None, weak=False)
    other = threading.Thread(target=beside, args=(stop,))
    other.start()
    try:
        # What a job does, it does in a process of its own, so that threads are enough here.
        app().Worker(
            pool="threads", concurrency=slots, queues=list(queues), without_gossip=True, without_mingle=True,
            without_heartbeat=True, loglevel="WARNING", quiet=True,
        ).start()  # fmt: skip
    finally:
        end()
        other.join()
