from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.arrangement.serializers import StepAnswerSerializer
from yuplet_server.arrangement.views import step_answer
from yuplet_server.files.answers import FOR_EVER, answered
from yuplet_server.illustrations.queries import ready_illustration_for
from yuplet_server.projects.models import Member
from yuplet_server.shelf import actions, queries
from yuplet_server.shelf.models import Kept
from yuplet_server.shelf.serializers import (
    FitSerializer,
    KeepSerializer,
    KeptSerializer,
    UseSerializer,
)


class ShelfView(APIView):
    """All that is on one's own shelf."""

    @extend_schema(responses=KeptSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        return Response(KeptSerializer(Kept.objects.filter(user=request.user).order_by("kind", "name"), many=True).data)


class KeptView(APIView):
    """One thing on one's own shelf."""

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, kept: int) -> Response:
        queries.kept_of(request.user, kept).delete()
        return Response(status=204)


class KeptPictureView(APIView):
    """The small picture of a part on one's own shelf."""

    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, kept: int) -> HttpResponseBase:
        found = queries.kept_of(request.user, kept)
        if not found.thumbnail:
            raise Http404
        return answered(request, found.thumbnail, "image/png", cache=FOR_EVER)


class KeepView(APIView):
    """Something of an illustration, kept for other projects."""

    @extend_schema(request=KeepSerializer, responses={201: KeptSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(KeepSerializer, request.data)
        return Response(KeptSerializer(actions.keep(request.user, found, **asked.validated_data)).data, status=201)


class FitView(APIView):
    """A figure beside a template; nothing is changed."""

    @extend_schema(responses=FitSerializer)
    def get(self, request: SignedInRequest, illustration: int, kept: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        template = queries.kept_of(request.user, kept, Kept.Kind.TEMPLATE)
        return Response(FitSerializer(queries.fitted(found, template)).data)


class UseView(APIView):
    """Something kept, used in an illustration."""

    @extend_schema(request=UseSerializer, responses=StepAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int, kept: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        said = checked(UseSerializer, request.data).validated_data
        thing = queries.kept_of(request.user, kept)
        rows = actions.use(found.pk, request.user, said["version"], thing, said["row"], said.get("id"))
        return step_answer(request, illustration, said["version"], rows)
