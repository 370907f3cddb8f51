"""Hand-overs: what was planned, what was written, and what the rehearsal found."""

from django.conf import settings
from django.db import models

from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.jobs.models import Job


class HandOver(models.Model):
    """One run. `arrangement` holds the rows as they were when it was asked for, so that the plan shown is the plan done."""

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="hand_overs")
    revision = models.ForeignKey(Revision, models.CASCADE, related_name="+")
    number = models.IntegerField()
    job = models.OneToOneField(Job, models.SET_NULL, null=True, related_name="+")
    version = models.IntegerField()
    arrangement = models.JSONField()
    plan = models.JSONField()
    report = models.JSONField(null=True)
    package = models.CharField(max_length=64, blank=True)
    package_bytes = models.BigIntegerField(default=0)
    created_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "number"], name="one_number_an_illustration")]

    def __str__(self) -> str:
        return f"hand-over {self.number} of {self.illustration_id}"
