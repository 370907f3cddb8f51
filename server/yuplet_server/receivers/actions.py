"""What is done with links for receivers: one verb a function."""

import datetime
import logging

from django.utils import timezone

from yuplet.errors import YupletError, shown
from yuplet_server.accounts.models import User
from yuplet_server.accounts.tokens import digest_of, new_token
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.errors import NotNow
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration
from yuplet_server.receivers.models import Delivery, Remark, Visit
from yuplet_server.receivers.queries import package_of

log = logging.getLogger("yuplet.deliveries")

MOST_REMARKS = 500
"""By one link: enough for every part of a figure."""
MOST_VISITS = 1000
"""Of which the log of a link has the newest."""


class RemarkRefused(YupletError):
    """A remark is of no part, or there are too many."""

    code = "remark-refused"


def deliver(
    illustration: Illustration, user: User, to: str, days: int, recipe: str, hand_over: HandOver | None = None
) -> tuple[Delivery, str]:
    """A link for somebody, to one hand-over or to the newest by a recipe; answers its token too, which is told once."""
    token = new_token()
    made = Delivery.objects.create(
        illustration=illustration,
        hand_over=hand_over,
        recipe=recipe,
        to=to,
        token_sha256=digest_of(token),
        made_by=user,
        ends_at=timezone.now() + datetime.timedelta(days=days),
    )
    record(Entry.Kind.LINK, f"made, to '{illustration.name}' for '{to}'", illustration.project_id, user.username)
    log.warning("'%s' made a link to illustration %s for '%s'", shown(user.username), illustration.pk, shown(to))
    return made, token


def take_back(delivery: Delivery) -> None:
    """End a link at once; what was remarked by it stays."""
    Delivery.objects.filter(pk=delivery.pk).update(ends_at=timezone.now())
    record(Entry.Kind.LINK, f"for '{delivery.to}' taken back", delivery.illustration.project_id)


def note_visit(delivery: Delivery, hand_over: HandOver, what: Visit.What, address: str) -> None:
    """Write down that somebody came; whoever looks again within an hour is the same visit, and the oldest are forgotten."""
    since = timezone.now() - datetime.timedelta(hours=1)
    same = Visit.objects.filter(delivery=delivery, hand_over=hand_over, what=what, address=address[:60], at__gt=since)
    if what == Visit.What.SEEN and same.exists():
        return
    Visit.objects.create(delivery=delivery, hand_over=hand_over, what=what, address=address[:60])
    old = Visit.objects.filter(delivery=delivery).order_by("-id").values_list("pk", flat=True)[MOST_VISITS:]
    Visit.objects.filter(pk__in=list(old)).delete()


def remark(delivery: Delivery, hand_over: HandOver, part: str, text: str) -> Remark:
    """Say something of a part of a package. Raises `RemarkRefused`."""
    paths = {one["id"]: " / ".join(one["path"]) for one in package_of(hand_over)["parts"]}
    if part not in paths:
        raise RemarkRefused("This part is not in the package. Nothing was sent. Reload the page and select a part.")
    if Remark.objects.filter(delivery=delivery).count() >= MOST_REMARKS:
        raise RemarkRefused(f"There are {MOST_REMARKS} remarks by this link already. Ask for a new one.")
    return Remark.objects.create(delivery=delivery, hand_over=hand_over, part=part, path=paths[part][:1000], text=text)


def answer(remark: Remark, user: User, text: str) -> None:
    """Answer a remark, once. Raises `NotNow`."""
    changed = Remark.objects.filter(pk=remark.pk, answered_at=None).update(
        answer=text, answered_by=user, answered_at=timezone.now()
    )
    if not changed:
        raise NotNow("This was answered meanwhile. Reload to see how.")
