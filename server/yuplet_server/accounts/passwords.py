"""What a password has to be, and whether it is that of whoever is signed in."""

from django.contrib.auth import password_validation
from django.core.exceptions import ValidationError
from django.http import HttpRequest

from yuplet.errors import YupletError
from yuplet_server.accounts import limits
from yuplet_server.accounts.models import User


class PasswordRefused(YupletError):
    """A password is wrong, or a new one is too easy."""

    code = "password-refused"


def require_own(request: HttpRequest, user: User, password: str) -> None:
    """Raise `PasswordRefused` unless it is the password of whoever is signed in, or `TooManyAttempts` before it is looked at."""
    keys = [f"password:{user.pk}"]
    limits.count(keys)
    if not user.check_password(password):
        limits.count_failure(request, user.username, "the password of whoever is signed in was wrong")
        raise PasswordRefused("The password is not right. Nothing was changed.")
    limits.forget(keys)


def require_good(password: str, user: User) -> None:
    """Raise `PasswordRefused` for a new password that is too short or too easy to guess."""
    try:
        password_validation.validate_password(password, user)
    except ValidationError as error:
        raise PasswordRefused(" ".join(error.messages)) from error
