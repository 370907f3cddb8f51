"""Where an account is signed in, and ending that."""

from typing import Any

from django.contrib.auth.signals import user_logged_in
from django.contrib.sessions.models import Session
from django.http import HttpRequest
from django.utils import timezone

from yuplet.errors import shown
from yuplet_server.accounts.models import SignIn, User
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.logs import address_of


def note(sender: Any, request: HttpRequest | None, user: User, **_: Any) -> None:
    """Write down that somebody has signed in."""
    if request is None:
        return
    known = {
        "user": user,
        "address": address_of(request)[:60],
        "browser": shown(request.headers.get("User-Agent", ""), 190),
    }
    SignIn.objects.update_or_create(session=request.session.session_key or "", defaults=known)


def of(user: User) -> list[SignIn]:
    """Where somebody is signed in now, the last first; what has ended is forgotten."""
    found = list(SignIn.objects.filter(user=user).order_by("-at", "-pk"))
    keys = [one.session for one in found]
    there = Session.objects.filter(session_key__in=keys, expire_date__gt=timezone.now()).values_list(
        "session_key", flat=True
    )
    SignIn.objects.filter(user=user, session__in=set(keys) - set(there)).delete()
    return [one for one in found if one.session in set(there)]


def moved(before: str | None, now: str | None) -> None:
    """A session goes on under another key."""
    SignIn.objects.filter(session=before or "").update(session=now or "")


def end(user: User, number: int | None, but: str | None) -> int:
    """End one session of somebody, or all but the one with a key; answers how many there were."""
    chosen = SignIn.objects.filter(user=user)
    chosen = chosen.exclude(session=but or "") if number is None else chosen.filter(pk=number)
    keys = list(chosen.values_list("session", flat=True))
    Session.objects.filter(session_key__in=keys).delete()
    chosen.delete()
    if keys:
        record(
            Entry.Kind.SIGN_OUT, f"in {len(keys)} other browser{'s' if len(keys) > 1 else ''}", account=user.username
        )
    return len(keys)


def forget_ended() -> None:
    """Forget where nobody is signed in any more."""
    SignIn.objects.exclude(session__in=Session.objects.values("session_key")).delete()


user_logged_in.connect(note, dispatch_uid="where accounts are signed in")
