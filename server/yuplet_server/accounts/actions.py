"""What is done with accounts: one verb a function."""

import secrets

from django.contrib.auth import authenticate, login, update_session_auth_hash
from django.http import HttpRequest

from yuplet.errors import YupletError
from yuplet_server.accounts import limits, passwords, sessions, two_steps
from yuplet_server.accounts.models import User
from yuplet_server.accounts.names import require_usable
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry


class SignInRefused(YupletError):
    """The account name or the password is wrong."""

    code = "sign-in-refused"


def sign_in(request: HttpRequest, username: str, password: str, code: str = "") -> User:
    """Open a session; raises `SignInRefused`, `CodeNeeded` or `CodeRefused`, or `TooManyAttempts` before anything is looked at."""
    keys = limits.keys_for(request, username)
    limits.count(keys)
    user = authenticate(request, username=username, password=password)
    if user is None:
        limits.count_failure(request, username, "a sign-in failed")
        raise SignInRefused("Wrong account name or password. Check both and try again.")
    assert isinstance(user, User)
    limits.forget(keys)
    two_steps.require(request, user, code)
    login(request, user)
    record(Entry.Kind.SIGN_IN, account=user.username)
    return user


def add_account(name: str, is_administrator: bool = False) -> tuple[User, str]:
    """A new account with a random first password, which is nowhere kept. Raises `AccountRefused`."""
    require_usable(name)
    password = secrets.token_urlsafe(12)
    return User.objects.create_user(name, password=password, is_staff=is_administrator), password


def change_password(request: HttpRequest, user: User, old: str, new: str) -> None:
    """Set a new password and keep this session; other sessions end. Raises `PasswordRefused` or `TooManyAttempts`."""
    passwords.require_own(request, user, old)
    passwords.require_good(new, user)
    user.set_password(new)
    user.save(update_fields=["password"])
    before = request.session.session_key
    update_session_auth_hash(request, user)
    sessions.moved(before, request.session.session_key)
    sessions.end(user, None, request.session.session_key)
    record(Entry.Kind.PASSWORD, "changed", account=user.username)
