"""Requests as views see them once permissions have let them through."""

from typing import Any, TypeVar

from rest_framework.request import Request
from rest_framework.serializers import Serializer

from yuplet_server.accounts.models import User

S = TypeVar("S", bound=Serializer[Any])


class SignedInRequest(Request):
    """A request of somebody who is signed in; only an annotation."""

    user: User


def checked(serializer: type[S], data: Any) -> S:
    """What was sent, once it is sure that it is whole; `ValidationError`, which becomes an answer, where it is not."""
    asked = serializer(data=data)
    asked.is_valid(raise_exception=True)
    return asked
