from collections.abc import Callable

from drf_spectacular.utils import extend_schema
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.models import User
from yuplet_server.accounts.requests import SignedInRequest
from yuplet_server.arrangement import actions, queries
from yuplet_server.arrangement.serializers import ArrangementSerializer, StepSerializer
from yuplet_server.illustrations.queries import ready_illustration_for
from yuplet_server.projects.models import Member


class ArrangementView(APIView):
    """How the parts of an illustration are named, grouped and ordered."""

    @extend_schema(responses=ArrangementSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(ArrangementSerializer(queries.seen(found, request.user)).data)


class StepsView(APIView):
    @extend_schema(request=StepSerializer, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = StepSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        # The core reads the command itself: it says more exactly what is wrong with it.
        actions.do(found.pk, request.user, asked.validated_data["version"], asked.initial_data["command"])
        return Response(ArrangementSerializer(queries.seen(found, request.user)).data)


class _BackAndForth(APIView):
    verb: Callable[[int, User], None]

    @extend_schema(request=None, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        type(self).verb(found.pk, request.user)
        return Response(ArrangementSerializer(queries.seen(found, request.user)).data)


class UndoView(_BackAndForth):
    """Taking back one's own last step."""

    verb = staticmethod(actions.undo)


class RedoView(_BackAndForth):
    """Doing again what was undone."""

    verb = staticmethod(actions.redo)
