"""Writing deeds down."""

import datetime
import logging

from django.conf import settings
from django.utils import timezone

from yuplet.errors import shown
from yuplet_server.audit.models import Entry
from yuplet_server.base import logs

log = logging.getLogger("yuplet.audit")


def record(kind: Entry.Kind, about: str = "", project: int | None = None, account: str | None = None) -> None:
    """Write down what is done now, by whom, and from where; `account` where that is not who sends the request that is answered.

    It is part of the transaction around it: what is undone is not written down, except in the file, which is written at once.
    """
    asked = logs.asked()
    user = getattr(asked, "user", None)
    entry = Entry(
        kind=kind,
        account=shown(account if account is not None else getattr(user, "username", ""), 147),
        address=logs.address_of(asked)[:60] if asked is not None else "",
        about=shown(about, 490),
        project=project,
        request=logs.number() if asked is not None else "",
    )
    entry.save(force_insert=True)
    told = {
        "kind": entry.kind,
        "account": entry.account,
        "address": entry.address,
        "about": entry.about,
        "project": project,
    }
    log.info("done", extra=told)


def forget_old() -> None:
    """Remove entries that are older than the settings say."""
    Entry.objects.filter(at__lt=timezone.now() - datetime.timedelta(days=settings.AUDIT_DAYS)).delete()
