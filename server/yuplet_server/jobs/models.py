"""Long work: what the task queue does not keep (progress, heartbeat, attempts, cancelling)."""

from django.conf import settings
from django.db import models

from yuplet_server.projects.models import Project


class Job(models.Model):
    """One piece of long work. `claim` is a random word of the worker that does it now; whoever lost it stops.

    A job that others are `followed_by` begins when all of these have ended, in whatever way.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    class Kind(models.TextChoices):
        BRING_IN = "bring-in"
        HAND_OVER = "hand-over"
        PACK = "pack"
        UNPACK = "unpack"
        TRY_OUT = "try-out"
        FILM = "film"
        GATHER = "gather"

    class Lane(models.TextChoices):
        """Work of a few seconds does not wait behind what takes minutes."""

        SHORT = "short"
        LONG = "long"

    project = models.ForeignKey(Project, models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20, choices=Kind.choices)
    subject = models.BigIntegerField()
    lane = models.CharField(max_length=5, choices=Lane.choices, default=Lane.LONG)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    stage = models.CharField(max_length=20, blank=True)
    done = models.IntegerField(default=0)
    total = models.IntegerField(default=0)
    attempts = models.IntegerField(default=0)
    claim = models.CharField(max_length=32, blank=True)
    started_at = models.DateTimeField(null=True)
    heartbeat = models.DateTimeField(null=True)
    queued_at = models.DateTimeField(auto_now_add=True)
    followed_by = models.ForeignKey("self", models.SET_NULL, null=True, related_name="first")
    cancel_asked = models.BooleanField(default=False)
    error_code = models.CharField(max_length=40, blank=True)
    error = models.TextField(blank=True)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        indexes = [models.Index(fields=["state", "heartbeat"]), models.Index(fields=["started_at"])]

    def __str__(self) -> str:
        return f"{self.kind} {self.subject}: {self.state}"


class Worker(models.Model):
    """A process that does long work, and when it last said so; one that has been silent for a day is forgotten.

    One that does not fit the tables, being of another version, begins nothing; neither does one whose disk has no room. `lanes` are those of which it does work.
    """

    name = models.CharField(max_length=200, unique=True)
    fits = models.BooleanField(default=True)
    has_room = models.BooleanField(default=True)
    lanes = models.JSONField(default=list)
    seen_at = models.DateTimeField()

    def __str__(self) -> str:
        return self.name
