"""Recipes that were saved, and hand-overs: what was planned, what was written, and what the rehearsal found."""

from django.conf import settings
from django.db import models

from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.jobs.models import Job
from yuplet_server.projects.models import Project


class Recipe(models.Model):
    """A way to hand over that a project has of its own. `document` is docs/formats/recipe.md in full; its name is unique in the project."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="recipes")
    name = models.CharField(max_length=100)
    document = models.JSONField()
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    changed_at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "name"], name="one_recipe_of_a_name")]

    def __str__(self) -> str:
        return f"recipe {self.name}"


class HandOver(models.Model):
    """One run. `arrangement` and `recipe` are as they were when it was asked for, so that the plan shown is the plan done.

    `files` are those of the package in order, each with its SHA-256, by which it is kept, its size and when it was written first. With a
    `folder` the package was written there as well, on the server's machine, and files that it does not want any more were removed where
    that was said yes to.
    """

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="hand_overs")
    revision = models.ForeignKey(Revision, models.CASCADE, related_name="+")
    number = models.IntegerField()
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    version = models.IntegerField()
    arrangement = models.JSONField()
    recipe = models.JSONField()
    plan = models.JSONField()
    report = models.JSONField(null=True)
    files = models.JSONField(default=list)
    folder = models.CharField(max_length=1000, blank=True)
    remove_obsolete = models.BooleanField(default=False)
    package_bytes = models.BigIntegerField(default=0)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "number"], name="one_number_an_illustration")]

    def __str__(self) -> str:
        return f"hand-over {self.number} of {self.illustration_id}"
