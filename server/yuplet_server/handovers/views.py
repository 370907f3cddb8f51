from django.http import FileResponse, Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.handovers import actions, queries
from yuplet_server.handovers.serializers import AskSerializer, HandOverSerializer, PlanSerializer
from yuplet_server.illustrations.queries import ready_illustration_for
from yuplet_server.projects.models import Member
from yuplet_server.projects.storage import open_blob


class PlanView(APIView):
    """What a hand-over would write now."""

    @extend_schema(responses=PlanSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        plan, version = queries.planned_now(found)
        return Response(PlanSerializer(queries.described(plan, version, found)).data)


class HandOversView(APIView):
    """The hand-overs of an illustration, the newest first."""

    @extend_schema(responses=HandOverSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        listed = queries.hand_overs_of(found).select_related("created_by")
        return Response(HandOverSerializer(listed, many=True).data)

    @extend_schema(request=AskSerializer, responses={201: HandOverSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(AskSerializer, request.data)
        made = actions.ask(found, request.user, asked.validated_data["version"])
        return Response(HandOverSerializer(made).data, status=201)


class PackageView(APIView):
    """The package as a ZIP."""

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, hand_over: int) -> FileResponse:
        found = queries.hand_over_for(request.user, hand_over, Member.Role.VIEWER)
        if not found.package:
            raise Http404
        return FileResponse(
            open_blob(found.package),
            as_attachment=True,
            filename=actions.file_name(found),
            content_type="application/zip",
        )
