"""All streams of one process. A few questions to the database each round, whatever the number of pages, tell what has changed.

So any number of processes and machines see what any other did, and nothing but the database is between them.
"""

import asyncio
import json
import logging
from collections.abc import AsyncIterator
from typing import Any

from asgiref.sync import sync_to_async
from django.db import close_old_connections

from yuplet_server.events import queries

ROUND = 0.4
"""Seconds between two looks."""
CHECK = 30.0
"""Seconds between two looks at who may still listen."""
SILENCE = 15.0
"""Seconds after which a stream that has nothing to tell says so, so that nobody between takes it for dead."""
MOST = 2_000
"""Streams of one process."""
MOST_EACH = 20
"""Streams of one account."""

log = logging.getLogger(__name__)


class Full(Exception):
    """There are as many streams as there may be."""


class Listener:
    """One page that listens."""

    def __init__(self, illustration: int, user: int, session: str) -> None:
        self.who = (illustration, user, session)
        self.told: Any = None
        self.changed = asyncio.Event()
        self.state: Any = None
        self.is_over = False


class Hub:
    """Who listens, and the task that looks for them."""

    def __init__(self) -> None:
        self._listeners: set[Listener] = set()
        self._task: asyncio.Task[None] | None = None

    async def stream(self, listener: Listener) -> AsyncIterator[bytes]:
        """What is told to a page: first how things stand, then whatever changes (https://html.spec.whatwg.org/#server-sent-events)."""
        try:
            while not listener.is_over:
                try:
                    await asyncio.wait_for(listener.changed.wait(), SILENCE)
                except TimeoutError:
                    yield b": nothing new\n\n"
                    continue
                listener.changed.clear()
                if listener.state is not None:
                    yield f"data: {json.dumps(listener.state)}\n\n".encode()
        finally:
            await self._end(listener)

    async def add(self, listener: Listener) -> None:
        """Begin to look for a page; raises `Full`."""
        own = sum(one.who[1] == listener.who[1] for one in self._listeners)
        if len(self._listeners) >= MOST or own >= MOST_EACH:
            raise Full
        self._listeners.add(listener)
        await _asked(queries.say_here, {listener.who[:2]})
        if self._task is None or self._task.done():
            self._task = asyncio.create_task(self._look())

    async def _end(self, listener: Listener) -> None:
        self._listeners.discard(listener)
        if not any(one.who[:2] == listener.who[:2] for one in self._listeners):
            await _asked(queries.say_gone, *listener.who[:2])

    async def _look(self) -> None:
        loop = asyncio.get_running_loop()
        said = checked = loop.time()
        while self._listeners:
            await asyncio.sleep(ROUND)
            now = loop.time()
            if now - said >= queries.BEAT:
                said = now
                await _asked(queries.say_here, {one.who[:2] for one in self._listeners})
            if now - checked >= CHECK:
                checked = now
                may = await _asked(queries.may_look, {one.who for one in self._listeners})
                for one in self._listeners if may is not None else ():
                    if one.who not in may:
                        one.is_over = True
                        one.changed.set()
            found = await _asked(queries.states, {one.who[0] for one in self._listeners})
            for one in list(self._listeners) if found is not None else ():
                state = found.get(one.who[0])
                if state is not None and state != one.state:
                    one.state = state
                    one.changed.set()


async def _asked(function: Any, *arguments: Any) -> Any:
    """What the database answers; None where it does not: it is asked again in a moment."""
    try:
        return await sync_to_async(_with_connection)(function, *arguments)
    except Exception:
        # Whatever it is, those who listen are not left alone with it.
        log.warning("the database does not tell what has changed", exc_info=True)
        return None


def _with_connection(function: Any, *arguments: Any) -> Any:
    close_old_connections()
    return function(*arguments)


HUB = Hub()
