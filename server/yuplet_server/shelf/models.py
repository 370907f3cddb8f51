"""What people keep for other projects: parts with their pictures, templates of places, lists of what must be there, motions."""

from django.conf import settings
from django.db import models


class Kept(models.Model):
    """One thing on somebody's own shelf. `value` is what the core or `actions` made of it; parts have a picture."""

    class Kind(models.TextChoices):
        PART = "part"
        TEMPLATE = "template"
        LIST = "list"
        MOTION = "motion"

    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="kept")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    name = models.CharField(max_length=255)
    value = models.JSONField(default=dict)
    picture = models.CharField(max_length=64, blank=True)
    thumbnail = models.CharField(max_length=64, blank=True)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.kind} {self.name}"
