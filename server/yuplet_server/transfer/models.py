"""Projects on their way from one Yuplet to another."""

from django.conf import settings
from django.db import models

from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Project


class Archive(models.Model):
    """A project as one file: packed here to be taken elsewhere, or brought here and unpacked into its project."""

    class Direction(models.TextChoices):
        OUT = "out"
        IN = "in"

    project = models.ForeignKey(Project, models.CASCADE, related_name="archives")
    direction = models.CharField(max_length=3, choices=Direction.choices)
    sha256 = models.CharField(max_length=64, blank=True)
    bytes = models.BigIntegerField(default=0)
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.project_id} moving {self.direction}"
