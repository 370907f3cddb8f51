"""People. One model of our own from the start, so that it can grow."""

from django.contrib.auth.models import AbstractUser


class User(AbstractUser):
    """An account; what it may do in a project is said by its membership there."""
