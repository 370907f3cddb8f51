"""What is written down of those deeds that somebody may ask about later."""

from django.db import models


class Entry(models.Model):
    """One deed. Names are kept as they were, and no row of another table is referred to: an entry outlives what it is about."""

    class Kind(models.TextChoices):
        SIGN_IN = "sign-in"
        SIGN_IN_FAILED = "sign-in-failed"
        SIGN_OUT = "sign-out"
        PASSWORD = "password"  # noqa: S105 - what was done, not what it is
        ACCOUNT = "account"
        MEMBER = "member"
        LINK = "link"
        HAND_OVER = "hand-over"
        DOWNLOAD = "download"
        REMOVE = "remove"
        RESTORE = "restore"
        MOVE = "move"

    at = models.DateTimeField(auto_now_add=True, db_index=True)
    kind = models.CharField(max_length=20, choices=Kind.choices)
    account = models.CharField(max_length=150, blank=True)
    address = models.CharField(max_length=60, blank=True)
    about = models.CharField(max_length=500, blank=True)
    project = models.BigIntegerField(null=True)
    request = models.CharField(max_length=16, blank=True)

    class Meta:
        indexes = [models.Index(fields=["account"])]

    def __str__(self) -> str:
        return f"{self.account}: {self.kind} {self.about}"
