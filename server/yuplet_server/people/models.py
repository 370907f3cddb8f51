from django.conf import settings
from django.db import models

from yuplet_server.projects.models import Member, Project


class Link(models.Model):
    """What somebody may do who has a link, once: of its random token only the SHA-256 is kept."""

    class Purpose(models.TextChoices):
        ACCOUNT = "account"
        PROJECT = "project"
        PASSWORD = "password"

    purpose = models.CharField(max_length=10, choices=Purpose.choices)
    token_sha256 = models.CharField(max_length=64, unique=True)
    account = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, null=True, related_name="+")
    project = models.ForeignKey(Project, models.CASCADE, null=True, related_name="+")
    role = models.CharField(max_length=10, choices=Member.Role.choices, blank=True)
    is_administrator = models.BooleanField(default=False)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    ends_at = models.DateTimeField()

    def __str__(self) -> str:
        return f"a link for {self.purpose} until {self.ends_at}"
