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


class WatchedSource(models.Model):
    """A file or a folder of images on the server's machine that an illustration keeps in step with: a saved change becomes a revision,
    and is handed over.

    `recipes` are documents, `folder` where packages go as well. `stamp` tells one saved state of the files from another without reading
    them, as they were looked at last; `seen_stamp` and `seen` are the stamp and the SHA-256 of what was taken of them. `number` is the
    revision that is on its way, `asked` the hand-overs of it. `said` is what to know of its state. Where something stands in the way it
    is blocked until `again_at`, after so many `tries`.
    """

    class State(models.TextChoices):
        WATCHING = "watching"
        BLOCKED = "blocked"
        READING = "reading"
        DECIDING = "deciding"
        WRITING = "writing"

    illustration = models.OneToOneField(Illustration, models.CASCADE, related_name="in_step")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    source = models.CharField(max_length=1000)
    folder = models.CharField(max_length=1000, blank=True)
    remove_obsolete = models.BooleanField(default=False)
    recipes = models.JSONField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.WATCHING)
    said = models.TextField(blank=True)
    stamp = models.CharField(max_length=60, blank=True)
    seen_stamp = models.CharField(max_length=60, blank=True)
    seen = models.CharField(max_length=64, blank=True)
    number = models.IntegerField(null=True)
    asked = models.JSONField(default=list)
    tries = models.IntegerField(default=0)
    again_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.illustration_id} in step with {self.source}"


class SyncRun(models.Model):
    """One change that was followed: which revision it became, what it changed of the layers, and the hand-overs that it led to."""

    in_step = models.ForeignKey(WatchedSource, models.CASCADE, related_name="passes")
    at = models.DateTimeField(auto_now_add=True)
    revision = models.IntegerField()
    changes = models.JSONField()
    hand_overs = models.JSONField(default=list)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"revision {self.revision}"


class Planned(models.Model):
    """The rows of a version whose plan somebody saw, with name and credit, so that it can be carried out as seen. `sweep_files` removes old ones."""

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="+")
    revision = models.ForeignKey(Revision, models.CASCADE, related_name="+")
    version = models.IntegerField()
    arrangement = models.JSONField()
    name = models.CharField(max_length=200, blank=True)
    credit = models.JSONField(default=dict)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "version"], name="one_plan_of_a_version")]

    def __str__(self) -> str:
        return f"version {self.version} of {self.illustration_id}"


class HandOver(models.Model):
    """One run. `arrangement`, `name`, `credit` and `recipe` are as they were when its plan was seen, so that the plan shown is the plan done.
    Where nobody saw a plan, because several illustrations were handed over together, it is empty until that is done.

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
    name = models.CharField(max_length=200, blank=True)
    credit = models.JSONField(default=dict)
    recipe = models.JSONField()
    plan = models.JSONField(default=dict)
    report = models.JSONField(null=True)
    files = models.JSONField(default=list)
    folder = models.CharField(max_length=1000, blank=True)
    remove_obsolete = models.BooleanField(default=False)
    prove_everything = models.BooleanField(default=False)
    package_bytes = models.BigIntegerField(default=0)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "number"], name="one_number_an_illustration")]

    def __str__(self) -> str:
        return f"hand-over {self.number} of {self.illustration_id}"


class ProjectHandOver(models.Model):
    """Several illustrations of a project handed over together: their packages, and `files` beside them, the index and sheets that they share.

    With a `folder` all of it was written there as well, each package into a folder of its own.
    """

    project = models.ForeignKey(Project, models.CASCADE, related_name="hand_overs")
    number = models.IntegerField()
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    title = models.CharField(max_length=120)
    folder = models.CharField(max_length=1000, blank=True)
    report = models.JSONField(null=True)
    files = models.JSONField(default=list)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["project", "number"], name="one_number_a_project")]
        ordering = ["-number"]

    def __str__(self) -> str:
        return f"hand-over {self.number} of project {self.project_id}"


class PackageOf(models.Model):
    """A package among several, and its folder there. Where nothing had changed since, it `is_new` not: it is that of an earlier hand-over."""

    together = models.ForeignKey(ProjectHandOver, models.CASCADE, related_name="packages")
    hand_over = models.ForeignKey(HandOver, models.CASCADE, related_name="+")
    name = models.CharField(max_length=255)
    is_new = models.BooleanField()

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
