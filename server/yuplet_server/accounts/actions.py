"""What is done with accounts: one verb a function."""

from axes.handlers.proxy import AxesProxyHandler
from django.contrib.auth import authenticate, login, password_validation, update_session_auth_hash
from django.core.exceptions import ValidationError
from django.http import HttpRequest

from yuplet.errors import YupletError
from yuplet_server.accounts.models import User


class SignInRefused(YupletError):
    """Name and password do not belong together, or there were too many tries."""

    code = "sign-in-refused"


class PasswordRefused(YupletError):
    """The old password is wrong, or the new one is too easy."""

    code = "password-refused"


def sign_in(request: HttpRequest, username: str, password: str) -> User:
    """Open a session; raises `SignInRefused`. After eight failures the name is closed to that address for a while."""
    user = authenticate(request, username=username, password=password)
    if user is None:
        if AxesProxyHandler.is_locked(request, {"username": username}):
            raise SignInRefused("Too many attempts with this name. Wait 15 minutes and try again.")
        raise SignInRefused("Name and password do not belong together. Check both and try again.")
    assert isinstance(user, User)
    login(request, user)
    return user


def change_password(request: HttpRequest, user: User, old: str, new: str) -> None:
    """Set a new password and keep this session; other sessions end. Raises `PasswordRefused`."""
    if not user.check_password(old):
        raise PasswordRefused("The old password is not right. Nothing was changed.")
    try:
        password_validation.validate_password(new, user)
    except ValidationError as error:
        raise PasswordRefused(" ".join(error.messages)) from error
    user.set_password(new)
    user.save(update_fields=["password"])
    update_session_auth_hash(request, user)
