"""Whether everything that work needs is there: the database, the disk, the files, and somebody who does long work."""

import shutil
from collections.abc import Callable
from dataclasses import dataclass

from django.conf import settings
from django.db import DatabaseError, connection

from yuplet.errors import YupletError
from yuplet_server.files.store import blobs
from yuplet_server.jobs.actions import held_up

ROOM = 1 << 30
"""Bytes that must be free, as at the start."""


@dataclass(frozen=True, slots=True)
class Check:
    """One thing that was looked at; `about` says what is wrong and what to do, in a sentence."""

    name: str
    is_right: bool
    about: str = ""


def checks() -> list[Check]:
    """All of them; the database first, without which nothing can be said of the workers."""
    found = [
        _checked("database", _database),
        _checked("room", _room),
        _checked("files", _files),
        _checked("queue", _queue),
    ]
    found.append(_checked("workers", held_up) if found[0].is_right else Check("workers", False, "Not known."))
    return found


def _checked(name: str, look: Callable[[], str]) -> Check:
    about = look()
    return Check(name, not about, about)


def _database() -> str:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT @@read_only")
            (read_only,) = cursor.fetchone()
    except DatabaseError:
        # The next request tries a new connection.
        connection.close()
        return "The database does not answer. Start it again."
    return "The database takes nothing in: it is set to be read only." if read_only else ""


def _room() -> str:
    free = shutil.disk_usage(settings.VAR).free
    return "" if free >= ROOM else f"{free / 1e9:.2f} GB are free on the disk of the data. Make room."


def _files() -> str:
    try:
        blobs().require_writable()
    except OSError as error:
        return f"Files cannot be kept: {error.strerror}. Look at the rights and the disk."
    except YupletError as error:
        return str(error)
    return ""


def _queue() -> str:
    if settings.QUEUE:
        # Loaded only where it is used.
        from yuplet_server.jobs import celery_queue

        if not celery_queue.answers():
            return "The queue (Redis) does not answer. Work waits, and goes on when it is back."
    return ""
