"""Illustrations as they were brought in; never changed afterwards."""

from django.conf import settings
from django.db import models

from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Project


class Illustration(models.Model):
    """One picture: the original's digest, and what was read of it once that is done.

    `longest` is the longer side in pixels that was asked for vector art. `record` is the layer tree as the core writes it (`yuplet.illustration.records`), `report` what was read and what
    was not understood.
    """

    class State(models.TextChoices):
        READING = "reading"
        READY = "ready"

    project = models.ForeignKey(Project, models.CASCADE, related_name="illustrations")
    name = models.CharField(max_length=200)
    file_name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64)
    bytes = models.BigIntegerField()
    longest = models.IntegerField(null=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.READING)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    width = models.IntegerField(default=0)
    height = models.IntegerField(default=0)
    preview = models.CharField(max_length=64, blank=True)
    record = models.JSONField(default=dict)
    report = models.JSONField(default=dict)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name


class LayerImage(models.Model):
    """The pixels of one layer, trimmed, as PNG, and a small picture of it: both by digest."""

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="images")
    layer = models.CharField(max_length=20)
    pixels = models.CharField(max_length=64, db_index=True)
    thumbnail = models.CharField(max_length=64, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "layer"], name="one_image_a_layer")]

    def __str__(self) -> str:
        return f"{self.layer} of {self.illustration_id}"
