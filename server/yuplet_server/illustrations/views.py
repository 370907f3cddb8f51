from django.http import FileResponse, Http404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest
from yuplet_server.illustrations import actions, queries
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.serializers import (
    IllustrationSerializer,
    UploadSerializer,
    WholeIllustrationSerializer,
)
from yuplet_server.projects import queries as projects
from yuplet_server.projects.models import Member
from yuplet_server.projects.serializers import ProjectNameSerializer
from yuplet_server.projects.storage import open_blob

FOR_EVER = "private, max-age=31536000, immutable"
NEVER_A_PAGE = "sandbox; default-src 'none'"
"""What an artist brought in is shown as a picture or downloaded, never run as a page of ours."""


class IllustrationsView(APIView):
    """The illustrations of a project."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses=IllustrationSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        projects.require(request.user, project, Member.Role.VIEWER)
        found = Illustration.objects.filter(project=project).select_related("job").defer("record", "report")
        return Response(IllustrationSerializer(found.order_by("name", "id"), many=True).data)

    @extend_schema(request=UploadSerializer, responses={201: IllustrationSerializer})
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = projects.project_for(request.user, project, Member.Role.EDITOR)
        asked = UploadSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        file, longest = asked.validated_data["file"], asked.validated_data.get("longest")
        illustration = actions.keep_upload(found, request.user, file.name, file.size, file, longest)
        return Response(IllustrationSerializer(illustration).data, status=201)


class IllustrationView(APIView):
    """One illustration."""

    @extend_schema(responses=WholeIllustrationSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        found.role = projects.role_in(request.user, found.project_id)  # type: ignore[attr-defined]
        if not found.report:
            found.report = None
        return Response(WholeIllustrationSerializer(found).data)

    @extend_schema(request=ProjectNameSerializer, responses=IllustrationSerializer)
    def patch(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = ProjectNameSerializer(data=request.data)
        asked.is_valid(raise_exception=True)
        actions.rename(found, asked.validated_data["name"])
        return Response(IllustrationSerializer(found).data)

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, illustration: int) -> Response:
        queries.illustration_for(request.user, illustration, Member.Role.EDITOR).delete()
        return Response(status=204)


class ImageView(APIView):
    """The pixels or the small picture of a layer, by digest."""

    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, illustration: int, digest: str) -> FileResponse:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        if not queries.holds_image(found, digest):
            raise Http404
        headers = {"Cache-Control": FOR_EVER, "Content-Security-Policy": NEVER_A_PAGE}
        return FileResponse(open_blob(digest), content_type="image/png", headers=headers)


class OriginalView(APIView):
    """The original, byte for byte."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, illustration: int) -> FileResponse:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        return FileResponse(
            open_blob(found.sha256),
            as_attachment=True,
            filename=found.file_name,
            content_type="application/octet-stream",
            headers={"Content-Security-Policy": NEVER_A_PAGE},
        )
