"""What is done with accounts: one verb a function."""

from django.contrib.auth import authenticate, login, password_validation, update_session_auth_hash
from django.core.exceptions import ValidationError
from django.http import HttpRequest, HttpResponse, JsonResponse

from yuplet.errors import YupletError
from yuplet_server.accounts.models import User


class SignInRefused(YupletError):
    """Name and password do not belong together."""

    code = "sign-in-refused"


class PasswordRefused(YupletError):
    """The old password is wrong, or the new one is too easy."""

    code = "password-refused"


def sign_in(request: HttpRequest, username: str, password: str) -> User:
    """Open a session; raises `SignInRefused`. After eight failures a name is closed to that address (`locked_out`)."""
    user = authenticate(request, username=username, password=password)
    if user is None:
        raise SignInRefused("Name and password do not belong together. Check both and try again.")
    assert isinstance(user, User)
    login(request, user)
    return user


def locked_out(request: HttpRequest, response: HttpResponse, credentials: dict[str, str]) -> JsonResponse:
    """The answer to a name and address that failed too often (django-axes calls this)."""
    detail = "Too many attempts with this name. Wait 15 minutes and try again."
    return JsonResponse({"code": "too-many-attempts", "detail": detail}, status=429)


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
