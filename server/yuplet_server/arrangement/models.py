"""What people decided about the parts of an illustration, and the log of how they came to it."""

import uuid

from django.conf import settings
from django.db import models

from yuplet_server.illustrations.models import Illustration


class Arrangement(models.Model):
    """The version number counts the changes; a command names the version that its sender saw.

    `stamp` and version together tell its rows from all others that ever were. `order_changed` is the version in which rows came, went or were moved for the last time.
    """

    illustration = models.OneToOneField(Illustration, models.CASCADE, primary_key=True, related_name="arrangement")
    version = models.IntegerField(default=1)
    stamp = models.UUIDField(default=uuid.uuid4)
    order_changed = models.IntegerField(default=1)
    alone = models.CharField(max_length=20, null=True)
    decisions = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"arrangement {self.pk}, version {self.version}"


class Row(models.Model):
    """A part or a group. `position` counts all rows of the arrangement back to front, a group before its members.

    `changed` is the version in which it was changed for the last time, `redrawn` the one in which it began to look as it does.
    """

    class Kind(models.TextChoices):
        PART = "part"
        GROUP = "group"

    arrangement = models.ForeignKey(Arrangement, models.CASCADE, related_name="rows")
    row = models.CharField(max_length=20)
    kind = models.CharField(max_length=5, choices=Kind.choices)
    group = models.CharField(max_length=20, null=True)
    position = models.IntegerField()
    changed = models.IntegerField(default=1)
    redrawn = models.IntegerField(default=1)
    name = models.CharField(max_length=255)
    frames = models.JSONField(default=list)
    loops = models.IntegerField(default=0)
    offset_x = models.IntegerField(default=0)
    offset_y = models.IntegerField(default=0)
    shown = models.BooleanField()
    included = models.BooleanField()
    opacity = models.FloatField()
    blend = models.CharField(max_length=20)
    isolated = models.BooleanField()
    alternate = models.CharField(max_length=20, null=True)
    locked = models.BooleanField()
    pivot_x = models.FloatField(null=True)
    pivot_y = models.FloatField(null=True)
    parent = models.CharField(max_length=20, null=True)
    depth = models.FloatField(default=0)
    role = models.CharField(max_length=12, default="picture")
    margins = models.JSONField(null=True)
    anchor = models.JSONField(null=True)
    beyond = models.BooleanField(default=False)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["arrangement", "row"], name="one_row_an_id")]

    def __str__(self) -> str:
        return self.name


class LoggedStep(models.Model):
    """One command that was applied, with what undoes it. `touched` is a list of pairs: of what, and which field."""

    class State(models.TextChoices):
        DONE = "done"
        UNDONE = "undone"
        DISCARDED = "discarded"

    version = models.IntegerField()
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    title = models.CharField(max_length=300)
    command = models.JSONField()
    inverse = models.JSONField()
    touched = models.JSONField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.DONE)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True

    def __str__(self) -> str:
        return self.title


class Step(LoggedStep):
    """A step on an arrangement; it touches [row, field] pairs."""

    arrangement = models.ForeignKey(Arrangement, models.CASCADE, related_name="steps")

    class Meta:
        indexes = [models.Index(fields=["arrangement", "version"])]


class Handled(models.Model):
    """A request that was carried out, by the id that the page gave it: sent again it does nothing, and is answered as it was.

    `rows` are those that it made.
    """

    arrangement = models.ForeignKey(Arrangement, models.CASCADE, related_name="handled")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    key = models.UUIDField()
    rows = models.JSONField(default=list)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["arrangement", "user", "key"], name="one_answer_a_request")]

    def __str__(self) -> str:
        return str(self.key)
