"""Signing in with the account that somebody has at the studio's own service, by OpenID Connect.

`django-allauth` speaks the protocol (code flow with PKCE and a state of its own for each try); here is decided who comes in with which account.
A name or a mail address is never enough to get into an account that is there already: whoever has one connects it while signed in.
"""

import logging
from typing import Any
from urllib.parse import parse_qsl, urlencode, urlsplit

from allauth.core.exceptions import ImmediateHttpResponse
from allauth.socialaccount.adapter import DefaultSocialAccountAdapter, get_adapter
from allauth.socialaccount.models import SocialAccount, SocialLogin
from allauth.socialaccount.providers.base.constants import AuthError
from allauth.socialaccount.providers.openid_connect.views import callback
from django.conf import settings
from django.contrib.auth import login
from django.db import IntegrityError, transaction
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, HttpResponseRedirect
from django.utils.http import url_has_allowed_host_and_scheme
from requests import RequestException

from yuplet.errors import YupletError, shown
from yuplet_server.accounts import limits
from yuplet_server.accounts.models import User
from yuplet_server.accounts.names import AccountRefused, require_usable
from yuplet_server.accounts.service import NAME, SignInService
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry

log = logging.getLogger("yuplet.signing-in")

_LONGEST_ID = 191


def _service() -> SignInService:
    """The service; where there is none, nothing here is reached."""
    service: SignInService | None = settings.OPENID
    assert service is not None
    return service


class ServiceAway(YupletError):
    """The service that knows the accounts of the studio does not answer."""

    code = "service-away"

    def __init__(self) -> None:
        super().__init__(
            f"{_service().name} does not answer right now. Nothing was changed. Try again in a moment, or sign in with a password."
        )


class ServiceRefused(YupletError):
    """An account cannot be parted from the service."""

    code = "service-refused"


class _Stopped(Exception):  # noqa: N818 - not an error of ours
    """Somebody comes back from the service and is not let in; the page has a sentence for each code."""

    def __init__(self, code: str) -> None:
        super().__init__(code)
        self.code = code


def way_there(request: HttpRequest, to: str, connects: bool) -> str:
    """The address at the service where somebody signs in, and comes back from to a page of ours. Raises `ServiceAway` or `TooManyAttempts`."""
    # Each try asks the service, and begins a session: nobody does so without end.
    limits.count(limits.keys_of_address(request))
    if not url_has_allowed_host_and_scheme(to, allowed_hosts=None) or not to.startswith("/"):
        to = "/"
    try:
        provider = get_adapter().get_provider(request, NAME)
        found = provider.redirect(request, "connect" if connects else "login", next_url=to)
    except (RequestException, KeyError, TypeError, ValueError) as error:
        log.warning("the sign-in service does not answer as it should: %r", error)
        raise ServiceAway from error
    return str(found["Location"])


def is_connected(user: User) -> bool:
    """Whether somebody can sign in by the service."""
    return bool(SocialAccount.objects.filter(user=user, provider=NAME).exists())


def disconnect(user: User) -> None:
    """Sign in by the password alone from now on. Raises `ServiceRefused` for an account that has none."""
    if not user.has_usable_password():
        raise ServiceRefused(
            "This account has no password, so nobody could sign in with it. Ask an administrator for a link that sets one."
        )
    if SocialAccount.objects.filter(user=user, provider=NAME).delete()[0]:
        record(Entry.Kind.ACCOUNT, f"disconnected from {_service().name}", account=user.username)


def come_back(request: HttpRequest, provider_id: str) -> HttpResponseBase:
    """Where the service sends somebody back to."""
    if settings.OPENID is None:
        raise Http404
    try:
        found: HttpResponseBase = callback(request, provider_id)
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        log.warning("the sign-in service answered something that it should not: %r", error)
        return _back("/", "failed")
    return found


class Adapter(DefaultSocialAccountAdapter):  # type: ignore[misc]
    """What allauth asks us."""

    def pre_social_login(self, request: HttpRequest, sociallogin: SocialLogin) -> None:
        """Everything that allauth would do from here on is ours."""
        to = sociallogin.state.get("next") or "/"
        try:
            with transaction.atomic():
                user, code = _let_in(request, sociallogin)
        except _Stopped as stopped:
            log.warning("somebody from the sign-in service was not let in: %s", stopped.code)
            record(Entry.Kind.SIGN_IN_FAILED, f"by {_service().name}: {stopped.code}")
            raise ImmediateHttpResponse(_back(to, stopped.code)) from stopped
        except IntegrityError as error:  # of two at the same moment
            raise ImmediateHttpResponse(_back(to, "failed")) from error
        limits.forget(limits.keys_of_address(request))
        response = _back(to, code)
        limits.remember_browser(request, response, user)
        raise ImmediateHttpResponse(response)

    def on_authentication_error(
        self, request: HttpRequest, provider: Any, error: Any = None, exception: Any = None, extra_context: Any = None
    ) -> None:
        """Back to the page, which says so."""
        if exception is not None:
            log.warning("signing in by the service failed: %s", shown(repr(exception), 400))
        state = (extra_context or {}).get("state") or {}
        code = "cancelled" if error == AuthError.CANCELLED else "failed"
        raise ImmediateHttpResponse(_back(state.get("next") or "/", code))


def _let_in(request: HttpRequest, sociallogin: SocialLogin) -> tuple[User, str]:
    """Sign somebody in whom the service has sent, or connect the account that is signed in."""
    account, told = sociallogin.account, sociallogin.account.extra_data
    # OpenID Connect Core 1.0, 5.3.2: what is told of somebody else must not be believed.
    if str(told.get("id_token", {}).get("sub")) != account.uid or not 0 < len(account.uid) <= _LONGEST_ID:
        raise _Stopped("failed")
    if sociallogin.state.get("process") == "connect":
        if not isinstance(request.user, User):
            raise _Stopped("failed")
        if sociallogin.is_existing and sociallogin.user != request.user:
            raise _Stopped("belongs-to-another")
        if not sociallogin.is_existing:
            _connect(account, request.user)
        return request.user, "connected"
    user = sociallogin.user if sociallogin.is_existing else _made(account, told.get("userinfo") or told["id_token"])
    assert isinstance(user, User)
    if not user.is_active:
        raise _Stopped("disabled")
    login(request, user)
    record(Entry.Kind.SIGN_IN, f"by {_service().name}", account=user.username)
    return user, ""


def _made(account: SocialAccount, told: dict[str, Any]) -> User:
    if not _service().makes_accounts:
        raise _Stopped("no-account")
    name = str(told.get("preferred_username") or str(told.get("email") or "").partition("@")[0])
    try:
        require_usable(name)
    except AccountRefused as refused:
        raise _Stopped("name-taken" if User.objects.filter(username=name).exists() else "name-refused") from refused
    user = User.objects.create_user(name)
    _connect(account, user)
    return user


def _connect(account: SocialAccount, user: User) -> None:
    if is_connected(user):
        raise _Stopped("connected-already")
    account.user = user
    # What else the service tells of people is nothing that we need.
    account.extra_data = {}
    account.save()
    record(Entry.Kind.ACCOUNT, f"connected with {_service().name}", account=user.username)


def _back(to: str, code: str) -> HttpResponse:
    parts = urlsplit(to)
    asked = [pair for pair in parse_qsl(parts.query) if pair[0] != "service"] + ([("service", code)] if code else [])
    return HttpResponseRedirect(parts._replace(scheme="", netloc="", query=urlencode(asked)).geturl() or "/")
