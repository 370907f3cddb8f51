"""Illustrations and their revisions; what was brought in is never changed afterwards."""

import uuid

from django.conf import settings
from django.db import models

from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Kept, Project, Removable


class Illustration(Removable):
    """One picture, whatever becomes of its art. `uid` tells it from all others, on every machine.

    `current` is the revision that is worked with; it is there from the first upload on. `credit` is who made the
    picture, as `yuplet.illustration.credit.Credit` has it.
    """

    project = models.ForeignKey(Project, models.CASCADE, related_name="illustrations")
    uid = models.UUIDField(default=uuid.uuid4)
    name = models.CharField(max_length=200)
    current = models.ForeignKey("Revision", models.SET_NULL, null=True, related_name="+")
    credit = models.JSONField(default=dict)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    objects = Kept()
    everything = models.Manager()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "uid"], name="one_of_an_illustration_a_project")]

    def __str__(self) -> str:
        return self.name

    @property
    def revision(self) -> "Revision":
        """The current revision, which is never absent once the upload has ended."""
        assert self.current is not None
        return self.current


class Revision(models.Model):
    """One state of the art: the original's digest, and what was read of it once that is done.

    `choices` is how the artist wants it read (`yuplet.reading.choices.Choices`). `record` is the layer tree as the core
    writes it (`yuplet.illustration.records`), its layers numbered as in the other revisions once it was taken; `report`
    what was read and what was not understood. `preview` is a small picture of the whole, `picture` a large one.
    """

    class State(models.TextChoices):
        READING = "reading"
        REVIEW = "review"
        READY = "ready"

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="revisions")
    number = models.IntegerField(default=1)
    file_name = models.CharField(max_length=255)
    sha256 = models.CharField(max_length=64, db_index=True)
    bytes = models.BigIntegerField()
    choices = models.JSONField(default=dict)
    state = models.CharField(max_length=10, choices=State.choices, default=State.READING)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    width = models.IntegerField(default=0)
    height = models.IntegerField(default=0)
    preview = models.CharField(max_length=64, blank=True)
    picture = models.CharField(max_length=64, blank=True)
    record = models.JSONField(default=dict)
    report = models.JSONField(default=dict)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "number"], name="one_revision_a_number")]

    def __str__(self) -> str:
        return f"revision {self.number} of {self.illustration_id}"


class LayerImage(models.Model):
    """The pixels of one layer, trimmed, as PNG, and a small picture of it: both by digest."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="images")
    layer = models.CharField(max_length=20)
    pixels = models.CharField(max_length=64, db_index=True)
    thumbnail = models.CharField(max_length=64, db_index=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["revision", "layer"], name="one_image_a_layer")]

    def __str__(self) -> str:
        return f"{self.layer} of {self.revision_id}"


class Halves(models.Model):
    """An image of a layer at 1/2, 1/4, 1/8 ... of its size, as pages show it where it is small on the screen.

    Both are named by digest: that of the image, and that of a file with all halves, the largest first (`queries.packed`). It can be made
    again from the image at any time.
    """

    of = models.CharField(max_length=64, unique=True)
    file = models.CharField(max_length=64, db_index=True)

    def __str__(self) -> str:
        return f"halves of {self.of}"


class DerivedLayer(models.Model):
    """A layer that was made of others, as the core writes it (`yuplet.illustration.derived`), in the order in which they were made."""

    revision = models.ForeignKey(Revision, models.CASCADE, related_name="derived")
    layer = models.CharField(max_length=20)
    record = models.JSONField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["revision", "layer"], name="one_derived_layer_an_id")]

    def __str__(self) -> str:
        return f"{self.layer} of {self.revision_id}"
