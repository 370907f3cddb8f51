"""Who has an illustration open."""

from django.conf import settings
from django.db import models

from yuplet_server.illustrations.models import Illustration


class Here(models.Model):
    """Somebody whose page showed an illustration at a moment; one that says nothing for a while is not there any more."""

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="+")
    user = models.ForeignKey(settings.AUTH_USER_MODEL, models.CASCADE)
    seen_at = models.DateTimeField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["illustration", "user"], name="one_presence_each")]

    def __str__(self) -> str:
        return f"{self.user} at {self.illustration}"
