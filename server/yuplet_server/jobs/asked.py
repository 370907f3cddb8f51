"""Whether whoever sent a request still waits for its answer.

The front server closes its connection to us when the visitor's is closed (nginx, `proxy_ignore_client_abort`); gunicorn hands the
connection on as `gunicorn.socket`.
"""

import select
import socket
from collections.abc import Callable
from contextvars import ContextVar

from django.http import HttpRequest, HttpResponse

_connection: ContextVar[socket.socket | None] = ContextVar("connection", default=None)


class KnowsWhoAsks:
    """Keeps the connection of a request at hand while it is answered."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        token = _connection.set(request.META.get("gunicorn.socket"))
        try:
            return self._get_response(request)
        finally:
            _connection.reset(token)


def is_waiting() -> bool:
    """Whether somebody waits; so it is outside of requests, and where the connection is not known."""
    held = _connection.get()
    if held is None:
        return True
    try:
        if not select.select([held], [], [], 0)[0]:
            return True
        return held.recv(1, socket.MSG_PEEK | socket.MSG_DONTWAIT) != b""
    except BlockingIOError:
        return True
    except (OSError, ValueError):
        return False
