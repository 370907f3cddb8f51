from typing import IO, Any

from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet.geometry import Box, Size
from yuplet.illustration.credit import Credit, licences
from yuplet.reading.choices import Choices
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.files.answers import FOR_EVER, NEVER_A_PAGE, answered
from yuplet_server.illustrations import actions, queries
from yuplet_server.illustrations.models import Illustration
from yuplet_server.illustrations.serializers import (
    AreaSerializer,
    ChangeSerializer,
    ChoicesSerializer,
    IllustrationSerializer,
    InBinSerializer,
    LicenceSerializer,
    PackSerializer,
    RevisionSerializer,
    SheetAnswerSerializer,
    SheetQuestionSerializer,
    UploadSerializer,
    WholeIllustrationSerializer,
)
from yuplet_server.jobs import apart
from yuplet_server.projects import queries as projects
from yuplet_server.projects.models import Member

"""What an artist brought in is shown as a picture or downloaded, never run as a page of ours."""


class IllustrationsView(APIView):
    """The illustrations of a project."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses=IllustrationSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        projects.require(request.user, project, Member.Role.VIEWER)
        found = queries.illustrations().filter(project=project)
        return Response(IllustrationSerializer(found.order_by("name", "id"), many=True).data)

    @extend_schema(request=UploadSerializer, responses={201: IllustrationSerializer})
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = projects.project_for(request.user, project, Member.Role.EDITOR)
        illustration = actions.keep_upload(found, request.user, *_upload(request))
        return Response(IllustrationSerializer(illustration).data, status=201)


class IllustrationView(APIView):
    """One illustration."""

    @extend_schema(responses=WholeIllustrationSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(_whole(found, request))

    @extend_schema(request=ChangeSerializer, responses=WholeIllustrationSerializer)
    def patch(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(ChangeSerializer, request.data)
        if "name" in asked.validated_data:
            actions.rename(found, asked.validated_data["name"])
        if "credit" in asked.validated_data:
            actions.say_credit(found, Credit(**asked.validated_data["credit"]))
        return Response(_whole(found, request))

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, illustration: int) -> Response:
        actions.remove(queries.illustration_for(request.user, illustration, Member.Role.EDITOR), request.user)
        return Response(status=204)


class RestoreIllustrationView(APIView):
    """An illustration out of the bin."""

    @extend_schema(request=None, responses=IllustrationSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_in_bin(request.user, illustration, Member.Role.EDITOR)
        actions.restore(found)
        return Response(IllustrationSerializer(queries.illustrations().get(pk=found.pk)).data)


class BinView(APIView):
    """What was removed and can be taken back: of projects those that one owns, of illustrations those that one may change."""

    @extend_schema(responses=InBinSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        return Response(InBinSerializer(queries.in_bin(request.user), many=True).data)


class TryAgainView(APIView):
    """The first reading of an original once more, where it came to nothing."""

    @extend_schema(request=None, responses=IllustrationSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_for(request.user, illustration, Member.Role.EDITOR)
        actions.try_again(found, request.user)
        return Response(IllustrationSerializer(queries.illustrations().get(pk=found.pk)).data)


class RevisionsView(APIView):
    """The revisions of an illustration, the newest first."""

    parser_classes = [MultiPartParser]

    @extend_schema(responses=RevisionSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        revisions = found.revisions.select_related("job", "created_by").defer("record", "report").order_by("-number")
        return Response(RevisionSerializer(revisions, many=True).data)

    @extend_schema(request=UploadSerializer, responses={201: RevisionSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        revision = actions.keep_revision(found, request.user, *_upload(request))
        return Response(RevisionSerializer(revision).data, status=201)


class ReadAgainView(APIView):
    """The current original, read in another way."""

    @extend_schema(request=ChoicesSerializer, responses={201: RevisionSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        # The core reads the choices itself: it says more exactly what is wrong with them.
        revision = actions.read_again(found, request.user, Choices.from_json(dict(request.data)))
        return Response(RevisionSerializer(revision).data, status=201)


class SheetView(APIView):
    """How the original would be cut as a sheet of frames."""

    @extend_schema(request=SheetQuestionSerializer, responses=SheetAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = queries.ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        cut = Choices.from_json(dict(request.data)).sheet
        return Response(SheetAnswerSerializer(apart.ask(found.pk, queries.sheet, found, cut)).data)


class LicencesView(APIView):
    """The SPDX License List, without deprecated ones."""

    @extend_schema(responses=LicenceSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        listed = [{"id": licence, "name": name} for licence, name in licences()]
        return Response(LicenceSerializer(listed, many=True).data, headers={"Cache-Control": "private, max-age=86400"})


class ImageView(APIView):
    """The pixels or the small picture of a layer, by digest."""

    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, illustration: int, digest: str) -> HttpResponseBase:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        if not queries.holds_image(found, digest):
            raise Http404
        return answered(request, digest, "image/png", cache=FOR_EVER)


class PackView(APIView):
    """Many images of layers in one answer, each as large as it is or halved, in the order that they are asked for: of each its length as four
    bytes, the highest first, and its PNG. One that is halved has sides of half as many pixels, rounded up, each time, until the longer one has 64 or fewer."""

    @extend_schema(parameters=[PackSerializer], responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, illustration: int) -> StreamingHttpResponse:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(PackSerializer, request.query_params)
        images = queries.images_by_beginnings(found, asked.validated_data["of"])
        actions.halve(found, queries.without_halves(one.digest for one in images if one.halved))
        headers = {"Cache-Control": FOR_EVER, "Content-Security-Policy": NEVER_A_PAGE}
        return StreamingHttpResponse(
            queries.packed(queries.at_halves(images)), content_type="application/octet-stream", headers=headers
        )


class DrawnView(APIView):
    """An area of a vector layer of a revision, drawn anew several times as large."""

    @extend_schema(parameters=[AreaSerializer], responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, illustration: int, revision: int, layer: str) -> HttpResponse:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AreaSerializer, request.query_params)
        values = dict(asked.validated_data)
        factor = values.pop("factor")
        area = Box.at(values["left"], values["top"], Size(values["width"], values["height"]))
        kept = queries.revision_of(found, revision)
        data = apart.ask(found.pk, queries.drawn_anew, kept, layer, area, factor)
        headers = {"Cache-Control": FOR_EVER, "Content-Security-Policy": NEVER_A_PAGE}
        return HttpResponse(data, content_type="image/png", headers=headers)


class OriginalView(APIView):
    """The original of a revision (without a number: the current one), byte for byte."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, illustration: int, revision: int | None = None) -> HttpResponseBase:
        found = queries.illustration_for(request.user, illustration, Member.Role.VIEWER)
        kept = found.revision if revision is None else queries.revision_of(found, revision)
        record(Entry.Kind.DOWNLOAD, f"original '{kept.file_name}' of '{found.name}'", found.project_id)
        return answered(request, kept.sha256, "application/octet-stream", kept.file_name)


def _upload(request: SignedInRequest) -> tuple[str, int, IO[bytes], Choices]:
    """The name, size and content of what was sent, and how it is to be read."""
    asked = checked(UploadSerializer, request.data)
    values = dict(asked.validated_data)
    files, paths, together = values.pop("file"), values.pop("path", []), values.pop("together", "")
    choices = Choices.from_json(values)
    if len(files) == 1:
        return files[0].name, files[0].size, files[0], choices
    named = [(paths[at] if at < len(paths) else file.name, file) for at, file in enumerate(files)]
    name, size, archive = actions.packed(named, together)
    return name, size, archive, choices


def _whole(illustration: Illustration, request: SignedInRequest) -> Any:
    illustration.role = projects.role_in(request.user, illustration.project_id)  # type: ignore[attr-defined]
    illustration.report = illustration.revision.report or None  # type: ignore[attr-defined]
    illustration.waiting = queries.waiting(illustration)  # type: ignore[attr-defined]
    return WholeIllustrationSerializer(illustration).data
