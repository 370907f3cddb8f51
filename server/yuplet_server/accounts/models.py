"""People. One model of our own from the start, so that it can grow."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class User(AbstractUser):
    """An account; what it may do in a project is said by its membership there."""


class SignIn(models.Model):
    """Where an account is signed in: a session, and what is known of the browser that has it."""

    session = models.CharField(max_length=40, unique=True)
    user = models.ForeignKey(User, models.CASCADE, related_name="sign_ins")
    at = models.DateTimeField(auto_now_add=True)
    address = models.CharField(max_length=60)
    browser = models.CharField(max_length=200)

    def __str__(self) -> str:
        return f"{self.user} from {self.address}"


class TwoStep(models.Model):
    """The second step of an account: a secret, encrypted, and the last step of time a code of which was used."""

    user = models.OneToOneField(User, models.CASCADE, related_name="two_step")
    secret = models.CharField(max_length=300)
    last_step = models.BigIntegerField()
    since = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"the second step of {self.user}"


class RecoveryCode(models.Model):
    """What lets somebody in once who has lost the phone."""

    user = models.ForeignKey(User, models.CASCADE, related_name="recovery_codes")
    code_sha256 = models.CharField(max_length=64, unique=True)

    def __str__(self) -> str:
        return f"a recovery code of {self.user}"


class Attempts(models.Model):
    """Wrong tries that were made of late: with an account, from an address, or by a browser that is known (`accounts.limits`)."""

    key = models.CharField(max_length=200, unique=True)
    count = models.IntegerField(default=0)
    last = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.count} by {self.key}"
