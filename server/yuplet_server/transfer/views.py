from django.http import Http404
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.files.answers import answered
from yuplet_server.illustrations.queries import illustration_for, illustrations
from yuplet_server.illustrations.serializers import IllustrationSerializer
from yuplet_server.projects import queries as projects
from yuplet_server.projects.models import Member
from yuplet_server.transfer import actions
from yuplet_server.transfer.models import Archive
from yuplet_server.transfer.serializers import ArchiveSerializer, ArchiveUploadSerializer, MoveSerializer


class ArchivesView(APIView):
    """The archives of a project, the newest first."""

    @extend_schema(responses=ArchiveSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        projects.require(request.user, project, Member.Role.VIEWER)
        found = Archive.objects.filter(project=project).select_related("job").order_by("-pk")
        return Response(ArchiveSerializer(found, many=True).data)

    @extend_schema(request=None, responses={201: ArchiveSerializer})
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = projects.project_for(request.user, project, Member.Role.OWNER)
        return Response(ArchiveSerializer(actions.ask_to_pack(found, request.user)).data, status=201)


class ArchiveFileView(APIView):
    """A packed project as a file."""

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, archive: int) -> HttpResponseBase:
        found = Archive.objects.filter(pk=archive).select_related("project").first()
        if found is None:
            raise Http404
        projects.require(request.user, found.project_id, Member.Role.OWNER)
        if found.direction != Archive.Direction.OUT or not found.sha256:
            raise Http404
        record(Entry.Kind.DOWNLOAD, f"project '{found.project.name}'", found.project_id)
        return answered(request, found.sha256, "application/zip", f"{found.project.name}.zip")


class MoveInView(APIView):
    """A project that was packed elsewhere."""

    parser_classes = [MultiPartParser]

    @extend_schema(request=ArchiveUploadSerializer, responses={201: ArchiveSerializer})
    def post(self, request: SignedInRequest) -> Response:
        asked = checked(ArchiveUploadSerializer, request.data)
        file = asked.validated_data["file"]
        archive = actions.keep_archive(request.user, file.name, file.size, file)
        return Response(ArchiveSerializer(archive).data, status=201)


class DuplicateView(APIView):
    """Another illustration with the same art and parts."""

    @extend_schema(request=None, responses={201: IllustrationSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = illustration_for(request.user, illustration, Member.Role.EDITOR)
        made = actions.duplicate(found, request.user)
        return Response(IllustrationSerializer(illustrations().get(pk=made.pk)).data, status=201)


class MoveView(APIView):
    """An illustration into another project; who moves it changes both."""

    @extend_schema(request=MoveSerializer, responses=IllustrationSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(MoveSerializer, request.data)
        actions.move(found, projects.project_for(request.user, asked.validated_data["project"], Member.Role.EDITOR))
        return Response(IllustrationSerializer(illustrations().get(pk=found.pk)).data)
