"""Errors of the core as answers of the API: 422 with a code and a sentence."""

from typing import Any

from django.db import OperationalError
from rest_framework.response import Response
from rest_framework.views import exception_handler

from yuplet.errors import NameNotUsable, YupletError


class ChangedMeanwhile(YupletError):
    """Somebody else changed the arrangement since it was last seen."""

    code = "changed-meanwhile"

    def __init__(self, who: str, what: str) -> None:
        super().__init__(
            f"{who} changed this meanwhile ({what}). Nothing of theirs or yours is lost; look and repeat your step."
        )


class NotNow(YupletError):
    """The thing exists, but is not in a state in which this can be done."""

    code = "not-now"


def answer(error: Exception, context: dict[str, Any]) -> Response | None:
    """DRF's exception handler, with our own family in front."""
    if isinstance(error, ChangedMeanwhile | NotNow):
        return Response({"code": error.code, "detail": str(error)}, status=409)
    if isinstance(error, NameNotUsable):
        return Response({"code": error.code, "detail": str(error), "proposal": error.proposal}, status=422)
    if isinstance(error, YupletError):
        return Response({"code": error.code, "detail": str(error)}, status=422)
    if isinstance(error, OperationalError):
        return Response(
            {
                "code": "database-away",
                "detail": "The database does not answer right now. Nothing was changed; try again in a moment.",
            },
            status=503,
        )
    response = exception_handler(error, context)
    if response is not None and isinstance(response.data, dict) and "detail" in response.data:
        response.data.setdefault("code", "refused")
    return response
