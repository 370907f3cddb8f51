from django.conf import settings
from django.db import models

from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.models import Illustration


class Delivery(models.Model):
    """A link to one hand-over, or without one always to the newest by a recipe; of its random token only the SHA-256 is kept."""

    illustration = models.ForeignKey(Illustration, models.CASCADE, related_name="deliveries")
    hand_over = models.ForeignKey(HandOver, models.CASCADE, null=True, related_name="+")
    recipe = models.CharField(max_length=100)
    to = models.CharField(max_length=100)
    token_sha256 = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    ends_at = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.illustration_id} for {self.to} until {self.ends_at}"


class Visit(models.Model):
    """That somebody came by a link: what for, and from where."""

    class What(models.TextChoices):
        SEEN = "seen"
        TAKEN = "taken"

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="visits")
    hand_over = models.ForeignKey(HandOver, models.SET_NULL, null=True, related_name="+")
    what = models.CharField(max_length=10, choices=What.choices)
    address = models.CharField(max_length=60)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.what} {self.at}"


class Remark(models.Model):
    """What a receiver says of a part, by its id in the package, and what is answered."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="remarks")
    hand_over = models.ForeignKey(HandOver, models.SET_NULL, null=True, related_name="+")
    part = models.CharField(max_length=100)
    path = models.CharField(max_length=1000)
    text = models.TextField(max_length=1000)
    at = models.DateTimeField(auto_now_add=True)
    answer = models.TextField(max_length=1000, blank=True)
    answered_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.SET_NULL, null=True, related_name="+")
    answered_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.path}: {self.text[:40]}"
