"""Errors of the core as answers of the API: 422 with a code and a sentence."""

import errno
import logging
import re
import tempfile
from typing import Any

from django.conf import settings
from django.core.exceptions import ObjectDoesNotExist
from django.db import IntegrityError, OperationalError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from yuplet.errors import NameNotUsable, YupletError
from yuplet_server.base import logs

log = logging.getLogger(__name__)

_DISK_FULL = {28, 1021, 1030, 1114}
"""What MariaDB says when its disk is full: ENOSPC, ER_DISK_FULL, ER_GET_ERRNO, ER_RECORD_FILE_FULL."""
_READ_ONLY = {1290, 1792, 1836}
"""What it says while it takes nothing in: ER_OPTION_PREVENTS_STATEMENT, ER_CANT_EXECUTE_IN_READ_ONLY_TRANSACTION, ER_READ_ONLY_MODE."""
_IS_GONE = 1452
"""What MariaDB says of a row that refers to one that is not there: ER_NO_REFERENCED_ROW_2."""
NO_ROOM = "The disk of the server is full. Ask whoever looks after it to make room, and try again."


class ChangedMeanwhile(YupletError):
    """Somebody else changed the arrangement since it was last seen."""

    code = "changed-meanwhile"

    def __init__(self, who: str, what: str) -> None:
        super().__init__(
            f"{who} changed this meanwhile ({what}). Nothing is lost. Check the change, then repeat your step."
        )


class NotNow(YupletError):
    """The thing exists, but is not in a state in which this can be done."""

    code = "not-now"


class StoreAway(YupletError):
    """The store of files does not answer, or refuses."""

    code = "store-away"

    def __init__(self) -> None:
        super().__init__("The store of files does not answer right now. Nothing was changed; try again in a moment.")


class TooManyAttempts(YupletError):
    """Too many wrong tries were made; `seconds` is how long to wait."""

    code = "too-many-attempts"

    def __init__(self, seconds: int) -> None:
        super().__init__(
            f"Too many wrong tries. Nothing was changed. Try again in {seconds} second{'s' if seconds > 1 else ''}."
        )
        self.seconds = seconds


OUR_FAULT = "our-fault"


def our_fault(where: str) -> str:
    """Write down what is being handled, under a number that the answer shows too, and say so in a sentence."""
    number = logs.number()
    log.exception("%s: fault %s", where, number)
    return f"Something went wrong on our side. Nothing was changed. Try again; if it stays so, tell whoever looks after the server: fault {number}."


def without_paths(sentence: str) -> str:
    """A sentence that names no folder of the server: where its files are is nobody's business but the administrator's."""
    own = "|".join(re.escape(str(path)) for path in (settings.VAR, settings.ROOT, tempfile.gettempdir()))
    return re.sub(rf"'?(?:{own})(?:/[^\s']*)?'?", "a file of the server", sentence)


def answer(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler, with our own family in front."""
    if isinstance(error, ChangedMeanwhile | NotNow):
        return Response({"code": error.code, "detail": str(error)}, status=409)
    if isinstance(error, NameNotUsable):
        return Response({"code": error.code, "detail": str(error), "proposal": error.proposal}, status=422)
    if isinstance(error, TooManyAttempts):
        return Response({"code": error.code, "detail": str(error)}, 429, headers={"Retry-After": str(error.seconds)})
    if isinstance(error, YupletError):
        status = {"busy": 503, "store-away": 503, "service-away": 503, "no-room": 507, "project-full": 507}.get(
            error.code, 422
        )
        headers = {"Retry-After": "5"} if status == 503 else None
        return Response({"code": error.code, "detail": without_paths(str(error))}, status, headers=headers)
    if isinstance(error, OperationalError) and error.args and error.args[0] in _DISK_FULL:
        return Response({"code": "no-room", "detail": f"{NO_ROOM} Nothing was changed."}, 507)
    if isinstance(error, OperationalError):
        is_there = bool(error.args) and error.args[0] in _READ_ONLY
        does_not = "takes nothing in" if is_there else "does not answer"
        detail = f"The database {does_not} right now. Nothing was changed; try again in a moment."
        return Response({"code": "database-away", "detail": detail}, status=503)
    if isinstance(error, OSError) and error.errno == errno.ENOSPC:
        return Response({"code": "no-room", "detail": f"{NO_ROOM} Nothing was changed."}, 507)
    if isinstance(error, ObjectDoesNotExist) or (isinstance(error, IntegrityError) and error.args[0] == _IS_GONE):
        # It was removed while the request was running.
        return Response({"code": "refused", "detail": "This no longer exists; somebody has removed it."}, 404)
    response = exception_handler(error, context)
    if response is None:
        request = context["request"]
        return Response({"code": OUR_FAULT, "detail": our_fault(f"{request.method} {request.path}")}, 500)
    if isinstance(response.data, dict) and "detail" in response.data:
        response.data.setdefault("code", "refused")
    return response
