"""What runs and what waits."""

from collections.abc import Iterable
from typing import Any

from django.db.models import Model

from yuplet_server.accounts.models import User
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Revision
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Member
from yuplet_server.rehearsals.models import Film, Rehearsal

MOST = 500
"""Jobs that the queue shows."""
_OF: dict[str, tuple[type[Model], str]] = {
    Job.Kind.BRING_IN: (Revision, "illustration__name"),
    Job.Kind.HAND_OVER: (HandOver, "illustration__name"),
    Job.Kind.TRY_OUT: (Rehearsal, "illustration__name"),
    Job.Kind.FILM: (Film, "rehearsal__illustration__name"),
}
"""Where the illustration is that a kind of job works on; the others are of a whole project."""


def queue_of(user: User) -> list[dict[str, Any]]:
    """Jobs that have not ended, those that run first, then in the order in which they were asked for: of the projects of
    somebody, and for an administrator of all.
    """
    roles = dict(Member.objects.filter(user=user).values_list("project_id", "role"))
    jobs = Job.objects.filter(state__in=(Job.State.RUNNING, Job.State.WAITING))
    if not user.is_staff:
        jobs = jobs.filter(project__in=roles, project__removed_at__isnull=True)
    found = list(jobs.select_related("project", "created_by").order_by("state", "created_at", "id")[:MOST])
    names = _illustrations(found)
    return [
        {
            "job": job,
            "project": job.project.name,
            "illustration": names.get(job.pk),
            "asked_by": job.created_by and job.created_by.username,
            "created_at": job.created_at,
            "can_cancel": user.is_staff or roles.get(job.project_id) in (Member.Role.EDITOR, Member.Role.OWNER),
        }
        for job in found
    ]


def _illustrations(jobs: Iterable[Job]) -> dict[int, str]:
    """The names of the illustrations that jobs work on, by the jobs' numbers."""
    numbers: dict[str, list[int]] = {}
    for job in jobs:
        numbers.setdefault(job.kind, []).append(job.pk)
    found: dict[int, str] = {}
    for kind, (model, name) in _OF.items():
        if kind in numbers:
            found |= dict(model._default_manager.filter(job__in=numbers[kind]).values_list("job_id", name))
    return found
