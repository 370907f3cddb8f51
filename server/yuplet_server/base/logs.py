"""What is written down: a line of JSON for each event, with the number of the request that it belongs to; tokens of links never."""

import logging
import re
import secrets
import time
from collections.abc import Callable
from contextvars import ContextVar
from pathlib import Path

from django.conf import settings
from django.http import HttpRequest, HttpResponse

_number: ContextVar[str] = ContextVar("request", default="")
_asked: ContextVar[HttpRequest | None] = ContextVar("asked", default=None)
_TOKENS = re.compile(r"(/(?:come-in|received|receive)/)[A-Za-z0-9_-]+")
LARGEST = 20_000_000
"""Bytes after which a log is begun anew."""
OLDER = 5
"""Logs that are kept beside the one that is written."""

log = logging.getLogger("yuplet.requests")


def number() -> str:
    """What tells the request that is answered from all others, and a new one outside of requests."""
    return _number.get() or secrets.token_hex(4)


def asked() -> HttpRequest | None:
    """The request that is answered; none outside of requests."""
    return _asked.get()


def address_of(request: HttpRequest) -> str:
    """Where a request comes from, as the front server tells it; IPv6 by its network, in which one household has all addresses."""
    address = str(request.META.get("REMOTE_ADDR", ""))
    return ":".join(address.split(":")[:4]) + "::/64" if address.count(":") > 3 else address


class Numbered:
    """Gives every request a number, which its answer and all that is written down of it have too."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        began = time.monotonic()
        token, before = _number.set(secrets.token_hex(4)), _asked.set(request)
        try:
            response = self._get_response(request)
            response.headers["X-Request-Id"] = _number.get()
            # Only where somebody has looked already: to ask now could fail, and this is only for the log.
            user = getattr(request, "_cached_user", None)
            log.info(
                "answered",
                extra={
                    "method": request.method,
                    "route": request.resolver_match.route if request.resolver_match else None,
                    "status": response.status_code,
                    "milliseconds": round((time.monotonic() - began) * 1000),
                    "account": user.pk if user is not None else None,
                },
            )
            return response
        finally:
            _number.reset(token)
            _asked.reset(before)


class OfRequest(logging.Filter):
    """Adds the number of the request, and takes out the tokens of links, by which somebody could come in."""

    def filter(self, record: logging.LogRecord) -> bool:
        record.request_number = _number.get() or None
        message = record.getMessage()
        if _TOKENS.search(message):
            record.msg, record.args = _TOKENS.sub(r"\1...", message), None
        return True


def begin_anew() -> None:
    """Put logs that have become large aside, and forget the oldest; whoever writes to one opens the new one by itself."""
    for path in (settings.LOG, settings.AUDIT_LOG):
        _begin_anew(path)


def _begin_anew(path: Path) -> None:
    if not path.exists() or path.stat().st_size < LARGEST:
        return
    for at in range(OLDER, 0, -1):
        older = path if at == 1 else path.with_name(f"{path.name}.{at - 1}")
        if older.exists():
            older.replace(path.with_name(f"{path.name}.{at}"))
