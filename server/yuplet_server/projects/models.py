"""Projects and who may do what in them."""

from typing import TypeVar

from django.conf import settings
from django.db import models

M = TypeVar("M", bound=models.Model)


class Kept(models.Manager[M]):
    """Everything that is not in the bin."""

    def get_queryset(self) -> models.QuerySet[M]:
        return super().get_queryset().filter(removed_at=None)


class Removable(models.Model):
    """What goes into a bin when it is removed, and is gone for good some weeks later (`sweep_files`)."""

    removed_at = models.DateTimeField(null=True, db_index=True)
    removed_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")

    class Meta:
        abstract = True


class Project(Removable):
    """A place of its own for one character, scene, prop set or interface kit.

    `bytes` is what its files take that people put or asked for: originals, packages, films. It is added to as they come, and counted anew by the
    sweep (`count_bytes`).
    """

    name = models.CharField(max_length=120)
    created_at = models.DateTimeField(auto_now_add=True)
    bytes = models.BigIntegerField(default=0)

    objects = Kept()
    everything = models.Manager()

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    """What an account may do in a project: a viewer looks, an editor changes, an owner also decides about members."""

    class Role(models.TextChoices):
        VIEWER = "viewer"
        EDITOR = "editor"
        OWNER = "owner"

    project = models.ForeignKey(Project, models.CASCADE, related_name="members")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE, related_name="memberships")
    role = models.CharField(max_length=10, choices=Role.choices)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "user"], name="one_role_a_project")]

    def __str__(self) -> str:
        return f"{self.user_id} is {self.role} of {self.project_id}"
