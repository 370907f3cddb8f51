"""The second step of signing in: a code that an application on somebody's phone shows, by time.

Source: RFC 6238 (TOTP) with what all such applications take: SHA-1, six digits, thirty seconds; `pyotp` computes it.
The secret is kept encrypted, so that a copy of the database is no second step; of the recovery codes only check sums are kept.
"""

import base64
import datetime
import re
import secrets

import pyotp
import segno
from cryptography.fernet import Fernet, InvalidToken
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from django.conf import settings
from django.db import transaction
from django.http import HttpRequest
from django.utils import timezone

from yuplet.errors import YupletError
from yuplet_server.accounts import limits, sessions
from yuplet_server.accounts.models import RecoveryCode, TwoStep, User
from yuplet_server.accounts.tokens import digest_of
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry

CODES = 10
_STEP = 30
_IN_SESSION = "two-step secret"
_NO_CODE = "This code is not right. Enter the one that the application shows now; check the clock of the phone if it is refused again."


class CodeNeeded(YupletError):
    """Name and password are right, and the code of the second step is missing."""

    code = "code-needed"

    def __init__(self) -> None:
        super().__init__("Enter the code that the application on your phone shows for Yuplet, or a recovery code.")


class CodeRefused(YupletError):
    """A code is wrong, was used before, or there is nothing that it could be for."""

    code = "code-refused"


def is_on(user: User) -> bool:
    """Whether somebody has a second step."""
    return TwoStep.objects.filter(user=user).exists()


def begin(request: HttpRequest, user: User) -> tuple[str, str, str]:
    """A new secret for an application, which counts once a code of it was entered: as letters, as an address, and as a picture (SVG, data URI)."""
    if not user.has_usable_password():
        raise CodeRefused(
            "This account has no password of its own, so there is no first step here. Nothing was changed."
        )
    secret = pyotp.random_base32()
    request.session[_IN_SESSION] = _sealed(secret)
    address = pyotp.TOTP(secret).provisioning_uri(name=user.username, issuer_name="Yuplet")
    return secret, address, segno.make(address, error="m").svg_data_uri(scale=4, border=4, light="#fff")


@transaction.atomic
def turn_on(request: HttpRequest, user: User, code: str) -> list[str]:
    """Take the secret of `begin` into use, and end all other sessions; answers the recovery codes. Raises `CodeRefused`."""
    secret = _opened(request.session.get(_IN_SESSION, ""))
    if secret is None:
        raise CodeRefused("This page is too old. Nothing was changed. Begin again.")
    step = _step_of(secret, code)
    if step is None:
        raise CodeRefused(_NO_CODE)
    del request.session[_IN_SESSION]
    TwoStep.objects.update_or_create(user=user, defaults={"secret": _sealed(secret), "last_step": step})
    sessions.end(user, None, request.session.session_key)
    record(Entry.Kind.PASSWORD, "two-step sign-in turned on", account=user.username)
    return new_codes(user)


@transaction.atomic
def new_codes(user: User) -> list[str]:
    """New recovery codes, each for one sign-in; those of before are worth nothing. Raises `CodeRefused` without a second step."""
    if not is_on(user):
        raise CodeRefused("Two-step sign-in is off. Turn it on first.")
    letters = base64.b32encode(secrets.token_bytes(10 * CODES)).decode().lower()
    codes = ["-".join(re.findall("....", letters[at : at + 16])) for at in range(0, len(letters), 16)]
    RecoveryCode.objects.filter(user=user).delete()
    RecoveryCode.objects.bulk_create(RecoveryCode(user=user, code_sha256=_digest(user, code)) for code in codes)
    return codes


@transaction.atomic
def turn_off(user: User, by: User) -> None:
    """Sign in by the password alone from now on."""
    gone, _ = TwoStep.objects.filter(user=user).delete()
    RecoveryCode.objects.filter(user=user).delete()
    if gone:
        record(Entry.Kind.PASSWORD, f"two-step sign-in of '{user.username}' turned off", account=by.username)


def require(request: HttpRequest, user: User, code: str) -> None:
    """Let somebody through whose password was right: raises `CodeNeeded` or `CodeRefused` unless there is no second step or the code is right.

    Each code is good for one sign-in.
    """
    found = TwoStep.objects.filter(user=user).first()
    if found is None:
        return
    if not code.strip():
        raise CodeNeeded
    keys = [f"code:{user.pk}"]
    limits.count(keys)
    if not (_is_of_now(found, code) or _is_recovery(user, code)):
        limits.count_failure(request, user.username, "a code of the second step was wrong")
        raise CodeRefused(_NO_CODE)
    limits.forget(keys)


def codes_left(user: User) -> int:
    """How many recovery codes were not used yet."""
    return RecoveryCode.objects.filter(user=user).count()


def _is_of_now(found: TwoStep, code: str) -> bool:
    secret = _opened(found.secret)
    step = None if secret is None else _step_of(secret, code)
    # In one go, so that of two who enter the same code only one comes in.
    return step is not None and bool(TwoStep.objects.filter(pk=found.pk, last_step__lt=step).update(last_step=step))


def _is_recovery(user: User, code: str) -> bool:
    gone, _ = RecoveryCode.objects.filter(user=user, code_sha256=_digest(user, code)).delete()
    if gone:
        record(Entry.Kind.SIGN_IN, f"with a recovery code; {codes_left(user)} left", account=user.username)
    return bool(gone)


def _step_of(secret: str, code: str) -> int | None:
    """The step of time that a code belongs to: this one, or the one before or after, since clocks differ."""
    plain = re.sub(r"\s", "", code)
    if not re.fullmatch(r"[0-9]{6}", plain, re.ASCII):
        return None
    now = timezone.now()
    totp = pyotp.TOTP(secret)
    for steps in (0, -1, 1):
        at = now + datetime.timedelta(seconds=_STEP * steps)
        if totp.verify(plain, for_time=at):
            return int(at.timestamp()) // _STEP
    return None


def _digest(user: User, code: str) -> str:
    plain = re.sub(r"[\s-]", "", code).lower()
    return digest_of(f"{user.pk}:{plain}")


def _box() -> Fernet:
    key = HKDF(SHA256(), 32, None, b"yuplet two-step sign-in").derive(settings.SECRET_KEY.encode())
    return Fernet(base64.urlsafe_b64encode(key))


def _sealed(secret: str) -> str:
    return _box().encrypt(secret.encode()).decode()


def _opened(sealed: str) -> str | None:
    try:
        return _box().decrypt(sealed.encode()).decode()
    except InvalidToken:
        return None
