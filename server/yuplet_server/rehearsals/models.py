"""Packages that are tried out: which one, how it is read, and what came of it."""

from django.conf import settings
from django.db import models

from yuplet_server.arrangement.models import LoggedStep
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


class Motion(models.Model):
    """How the parts of an illustration move: one for all its hand-overs, so that a new one changes no key, and one for each package from outside.

    `document` is the core's `Motion` as JSON; the version counts its changes. `names` are those that its targets had, with the groups around them: by them
    it is found again what has another id.
    """

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="motions")
    rehearsal = models.OneToOneField(Rehearsal, models.CASCADE, null=True, related_name="motion")
    version = models.IntegerField(default=0)
    document = models.JSONField(default=dict)
    names = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"motion {self.pk}, version {self.version}"


class MotionStep(LoggedStep):
    """A step on a motion; it touches [target, property] pairs."""

    motion = models.ForeignKey(Motion, models.CASCADE, related_name="steps")

    class Meta:
        indexes = [models.Index(fields=["motion", "version"])]


class MotionHandled(models.Model):
    """A request that was carried out, by the id that the page gave it: sent again it does nothing."""

    motion = models.ForeignKey(Motion, models.CASCADE, related_name="handled")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    key = models.UUIDField()
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["motion", "user", "key"], name="one_answer_a_motion_request")]

    def __str__(self) -> str:
        return str(self.key)


class Film(models.Model):
    """A motion that was written down as a film, or as a file that plays it, of a `kind` (the core's), so many pixels wide (null: as the canvas). `file` is its SHA-256 once it is
    done; `notes` are what the format cannot carry, and `replay` what came of reading it back."""

    rehearsal = models.ForeignKey(Rehearsal, models.CASCADE, related_name="films")
    kind = models.CharField(max_length=10)
    width = models.IntegerField(null=True)
    document = models.JSONField()
    file = models.CharField(max_length=64, blank=True)
    bytes = models.BigIntegerField(default=0)
    pictures = models.IntegerField(default=0)
    notes = models.JSONField(default=list)
    replay = models.JSONField(null=True)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"film {self.pk} of {self.rehearsal}"
