"""How illustrations stand, in few questions for all that anybody has open."""

import datetime
from collections.abc import Collection
from typing import Any

from django.contrib.sessions.models import Session
from django.db.models import Count, Max, Sum
from django.db.models.functions import Now

from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.events.models import Here
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.projects.models import Member
from yuplet_server.rehearsals.models import Motion

BEAT = 8.0
"""Seconds between two times that a process says who is there."""
SILENCE = datetime.timedelta(seconds=20)
"""After which somebody is not there any more."""

State = dict[str, Any]


def states(illustrations: Collection[int]) -> dict[int, State]:
    """Of each illustration the version of its arrangement, marks that change with its motions and revisions, and who has it open."""
    found: dict[int, State] = {
        one: {"arrangement": 0, "motion": "", "revisions": "", "here": []} for one in illustrations
    }
    for pk, version in Arrangement.objects.filter(pk__in=illustrations).values_list("pk", "version"):
        found[pk]["arrangement"] = version
    motions = Motion.objects.filter(illustration__in=illustrations).order_by()
    for pk, count, versions in motions.values_list("illustration").annotate(Count("pk"), Sum("version")):
        found[pk]["motion"] = f"{count} {versions}"
    revisions = Revision.objects.filter(illustration__in=illustrations).order_by()
    current = dict(Illustration.objects.filter(pk__in=illustrations).values_list("pk", "current"))
    for pk, count, last in revisions.values_list("illustration").annotate(Count("pk"), Max("pk")):
        found[pk]["revisions"] = f"{count} {last} {current.get(pk)}"
    here = Here.objects.filter(illustration__in=illustrations, seen_at__gt=Now() - SILENCE).order_by("user__username")
    for pk, name in here.values_list("illustration", "user__username"):
        found[pk]["here"].append(name)
    return found


def say_here(pairs: Collection[tuple[int, int]]) -> None:
    """Say that somebody has an illustration open, for pairs of illustration and account."""
    there = Illustration.objects.filter(pk__in={one for one, _ in pairs}).values_list("pk", flat=True)
    rows = [Here(illustration_id=one, user_id=user, seen_at=Now()) for one, user in sorted(pairs) if one in set(there)]
    Here.objects.bulk_create(rows, update_conflicts=True, update_fields=["seen_at"])
    Here.objects.filter(seen_at__lt=Now() - 3 * SILENCE).delete()


def say_gone(illustration: int, user: int) -> None:
    """Say that somebody has an illustration open no more."""
    Here.objects.filter(illustration=illustration, user=user).delete()


def may_look(asked: Collection[tuple[int, int, str]]) -> set[tuple[int, int, str]]:
    """Of illustrations, accounts and sessions those that still belong together: signed in, able to, and a member of its project."""
    sessions = set(
        Session.objects.filter(session_key__in={one[2] for one in asked}, expire_date__gt=Now()).values_list(
            "session_key", flat=True
        )
    )
    able = set(User.objects.filter(pk__in={one[1] for one in asked}, is_active=True).values_list("pk", flat=True))
    projects = dict(
        Illustration.objects.filter(pk__in={one[0] for one in asked}, project__removed_at=None).values_list(
            "pk", "project"
        )
    )
    members = set(Member.objects.filter(user__in=able, project__in=projects.values()).values_list("project", "user"))
    return {one for one in asked if one[2] in sessions and one[1] in able and (projects.get(one[0]), one[1]) in members}
