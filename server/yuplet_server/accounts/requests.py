"""Requests as views see them once permissions have let them through."""

from rest_framework.request import Request

from yuplet_server.accounts.models import User


class SignedInRequest(Request):
    """A request of somebody who is signed in; only an annotation."""

    user: User
