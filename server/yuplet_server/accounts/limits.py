"""Slowing down those who guess passwords, without closing the door to anybody.

Wrong tries are counted by account and by address, and after some of them each further try has to wait: at first a second, then twice as long each
time, up to a limit. A browser from which the account was signed in to before is counted by itself, so that nobody can make its owner wait.
Source of the idea: OWASP, "Authentication Cheat Sheet" and "Slow Down Online Guessing Attacks with Device Cookies".
"""

import datetime
import hashlib
import logging
import math
from collections.abc import Iterable
from dataclasses import dataclass

from django.core import signing
from django.db.models import F
from django.http import HttpRequest, HttpResponse
from django.utils import timezone

from yuplet.errors import shown
from yuplet_server.accounts.models import Attempts, User
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.errors import TooManyAttempts
from yuplet_server.base.logs import address_of
from yuplet_server.base.transactions import tried

log = logging.getLogger("yuplet.signing-in")

COOKIE = "yuplet_browser"
_COOKIE_DAYS = 365
_SALT = "a browser that is known"


@dataclass(frozen=True, slots=True)
class Kind:
    """How many tries are `free`, how long the longest wait is in seconds, and after how many minutes without a try all is forgotten."""

    free: int
    longest: float
    minutes: int


KINDS = {
    "account": Kind(5, 30, 15),
    # A studio has one, and all of it may begin at nine.
    "address": Kind(60, 60, 15),
    "browser": Kind(8, 30, 15),
    "password": Kind(5, 60, 15),
    # Whoever guesses codes has the password already.
    "code": Kind(5, 300, 15),
    "remark": Kind(30, 60, 15),
    "mail": Kind(30, 60, 15),
}


def keys_for(request: HttpRequest, username: str) -> list[str]:
    """What a try to sign in is counted by."""
    known = browser_of(request, username)
    if known is not None:
        return [f"browser:{known}"]
    return [f"account:{_short(username)}", *keys_of_address(request)]


def keys_of_address(request: HttpRequest) -> list[str]:
    """What a try is counted by where no account is named."""
    return [f"address:{address_of(request)}"]


def count(keys: Iterable[str]) -> None:
    """Count a try before it is known whether it is right; raises `TooManyAttempts` where it comes too early, and is then not made.

    Counting first holds for many tries at the same moment too.
    """
    waits = tried(lambda: _counted(sorted(keys)))
    if waits:
        seconds, key = max(waits)
        log.warning("a try was refused for %d s: %s", math.ceil(seconds), shown(key))
        raise TooManyAttempts(math.ceil(seconds))


def _counted(keys: Iterable[str]) -> list[tuple[float, str]]:
    """Count where it is not too early; answers for how many seconds each of the others has to wait."""
    now = timezone.now()
    waits = []
    for key in keys:
        kind = KINDS[key.split(":", 1)[0]]
        Attempts.objects.get_or_create(key=key, defaults={"last": now})
        row = Attempts.objects.select_for_update().filter(key=key).first()
        if row is None:  # somebody's try was right at this moment
            row = Attempts.objects.create(key=key, last=now)
        if row.last < now - datetime.timedelta(minutes=kind.minutes):
            row.count = 0
        wait = _wait(kind, row.count)
        due = row.last + datetime.timedelta(seconds=wait)
        # Without a wait nobody is early: another at the same moment may have been written down as later.
        if wait and due > now:
            waits.append(((due - now).total_seconds(), key))
            continue
        row.count, row.last = row.count + 1, now
        row.save(update_fields=["count", "last"])
    return waits


def forget(keys: Iterable[str]) -> None:
    """The try was right: what was counted by account and browser is forgotten; by address, just this try."""
    for key in keys:
        if key.startswith("address:"):
            # In one go: of many who sign in at the same moment each must be taken off, or a whole studio behind one address would wait.
            same = Attempts.objects.filter(key=key, count__gt=0)
            tried(lambda same=same: same.update(count=F("count") - 1))  # type: ignore[misc]
        else:
            same = Attempts.objects.filter(key=key)
            tried(lambda same=same: same.delete())  # type: ignore[misc]


def count_failure(request: HttpRequest, username: str, what: str) -> None:
    """Write down for the administrator that a try was wrong: with which account, from where."""
    log.warning("%s: account '%s' from %s", what, shown(username), shown(address_of(request)))
    record(Entry.Kind.SIGN_IN_FAILED, what, account=username)


def remember_browser(request: HttpRequest, response: HttpResponse, user: User) -> None:
    """Let the browser prove later that the account was signed in to from it."""
    names = [user.username, *(name for name in _browsers(request) if name != user.username)][:5]
    response.set_cookie(
        COOKIE,
        signing.dumps(names, salt=_SALT),
        max_age=_COOKIE_DAYS * 24 * 3600,
        httponly=True,
        samesite="Lax",
        secure=request.is_secure(),
    )


def browser_of(request: HttpRequest, username: str) -> str | None:
    """What tells a known browser of an account from all others; None for one that is not known."""
    if username not in _browsers(request):
        return None
    return _short(f"{username} {request.COOKIES[COOKIE]}")


def sweep() -> None:
    """Forget what is old."""
    Attempts.objects.filter(last__lt=timezone.now() - datetime.timedelta(days=1)).delete()


def _browsers(request: HttpRequest) -> list[str]:
    try:
        value = signing.loads(request.COOKIES.get(COOKIE, ""), salt=_SALT, max_age=_COOKIE_DAYS * 24 * 3600)
    except signing.BadSignature:
        return []
    return [str(name) for name in value]


def _wait(kind: Kind, count_so_far: int) -> float:
    return 0.0 if count_so_far < kind.free else min(kind.longest, 2.0 ** min(count_so_far - kind.free, 30))


def _short(text: str) -> str:
    return hashlib.blake2b(text.encode(errors="replace"), digest_size=16).hexdigest()
