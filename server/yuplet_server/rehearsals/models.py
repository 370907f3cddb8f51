"""Packages that are tried out: which one, how it is read, and what came of it."""

from django.conf import settings
from django.db import models

from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs.models import Job


class Rehearsal(models.Model):
    """A package that was opened: a hand-over, or an `archive` (a SHA-256) that came from outside under a `name`; `more` are archives in which what is
    missing is looked for.

    `reading` is how it was asked to be read (`manifest`, `way`, `columns`, `rows`, `reference`, `places`, `package`). `result` is what came of it (the core's `Trial` as JSON),
    and `pictures` are the files that were made meanwhile, each by its SHA-256: pictures, and a package of what was lined up.
    """

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="rehearsals")
    hand_over = models.OneToOneField(HandOver, models.CASCADE, null=True, related_name="rehearsal")
    name = models.CharField(max_length=255, blank=True)
    archive = models.CharField(max_length=64, blank=True)
    more = models.JSONField(default=list)
    bytes = models.BigIntegerField(default=0)
    reading = models.JSONField(default=dict)
    result = models.JSONField(null=True)
    pictures = models.JSONField(default=dict)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"rehearsal of {self.name or self.hand_over}"
