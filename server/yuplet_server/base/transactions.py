"""Transactions that stand in each other's way."""

import random
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

from django.db import OperationalError, connection, transaction

T = TypeVar("T")

_IN_THE_WAY = {1205, 1213}
"""What MariaDB says where two transactions wait for each other, and one has to give way: ER_LOCK_WAIT_TIMEOUT, ER_LOCK_DEADLOCK."""
_TIMES = 6


def tried(does: Callable[[], T]) -> T:
    """Do something in a transaction of its own, and again where it had to give way to another, as MariaDB asks for.

    Source: MariaDB Knowledge Base, "InnoDB Lock Modes", deadlocks. In the middle of a transaction, whoever began that is to try again.
    """
    if connection.in_atomic_block:
        return does()
    for attempt in range(_TIMES):
        try:
            with transaction.atomic():
                return does()
        except OperationalError as error:
            if error.args[0] not in _IN_THE_WAY or attempt == _TIMES - 1:
                raise
        time.sleep(random.random() * 0.02 * 2**attempt)  # noqa: S311 - so that the two do not meet again
    raise AssertionError("the last attempt returns or raises")


@contextmanager
def only_one(name: str) -> Iterator[bool]:
    """Whether nobody else, on any machine, does now what has this name: then it is ours until the block ends, or the connection does.

    Source: MariaDB Knowledge Base, "GET_LOCK".
    """
    lock = [f"{connection.settings_dict['NAME']} {name}"]
    with connection.cursor() as cursor:
        cursor.execute("SELECT GET_LOCK(%s, 0)", lock)
        is_ours = cursor.fetchone() == (1,)
    try:
        yield is_ours
    finally:
        if is_ours:
            with connection.cursor() as cursor:
                cursor.execute("SELECT RELEASE_LOCK(%s)", lock)
