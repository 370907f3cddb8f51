"""Whose work is done next: everybody has the same turns, however much one of them has asked for."""

import datetime
from collections.abc import Collection

from django.conf import settings
from django.db.models import Count, Max, Min
from django.db.models.functions import Now

from yuplet_server.jobs.models import Job

_REMEMBERED = datetime.timedelta(hours=1)
"""For so long it counts when somebody's work was begun last."""
_EVER = datetime.datetime.min.replace(tzinfo=datetime.UTC)


def next_in(lanes: Collection[str]) -> int | None:
    """The number of the job that is to be begun next: of those who wait, whoever has the fewest running, then whose last one began
    longest ago; of theirs, the one that was asked for first. None where nothing waits, or all who wait have as many running as they may.
    """
    waiting = Job.objects.filter(state=Job.State.WAITING, lane__in=lanes)
    waiting = waiting.exclude(first__state__in=(Job.State.WAITING, Job.State.RUNNING))
    oldest = dict(waiting.order_by().values_list("created_by").annotate(Min("pk")))
    if not oldest:
        return None
    running: dict[int | None, int] = dict(
        Job.objects.filter(state=Job.State.RUNNING).order_by().values_list("created_by").annotate(Count("pk"))
    )
    recent = Job.objects.filter(started_at__gt=Now() - _REMEMBERED)
    began = dict(recent.order_by().values_list("created_by").annotate(Max("started_at")))
    may = [who for who in oldest if not settings.JOBS_EACH or running.get(who, 0) < settings.JOBS_EACH]
    first = min(may, key=lambda who: (running.get(who, 0), began.get(who) or _EVER, oldest[who]), default=None)
    return None if not may else oldest[first]
