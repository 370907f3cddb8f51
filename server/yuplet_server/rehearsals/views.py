import mimetypes
from pathlib import PurePosixPath
from typing import IO, Any, cast

from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet.playable.written import ENDINGS, Kind
from yuplet.rehearsal.film_files import ENDINGS as FILM_ENDINGS
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.files.answers import FOR_EVER, NEVER_A_PAGE, answered
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.actions import packed
from yuplet_server.illustrations.queries import ready_illustration_for
from yuplet_server.jobs import apart
from yuplet_server.projects.models import Member
from yuplet_server.rehearsals import actions, filming, moving, queries
from yuplet_server.rehearsals.models import Motion, MotionStep, Rehearsal
from yuplet_server.rehearsals.serializers import (
    AskFilmSerializer,
    ChangesSerializer,
    FilmSerializer,
    KeepMotionSerializer,
    LayMotionSerializer,
    ListedRehearsalSerializer,
    MotionFitSerializer,
    MotionRepeatSerializer,
    MotionSerializer,
    MotionStepSerializer,
    OpenSerializer,
    OutsideSerializer,
    ReadingSerializer,
    RehearsalSerializer,
    ScreenSerializer,
)
from yuplet_server.shelf.models import Kept
from yuplet_server.shelf.queries import kept_of
from yuplet_server.shelf.serializers import KeptSerializer


class RehearsalsView(APIView):
    """The packages of an illustration that are tried out, the newest first."""

    @extend_schema(responses=ListedRehearsalSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(ListedRehearsalSerializer(queries.rehearsals_of(found), many=True).data)

    @extend_schema(request=OpenSerializer, responses={201: RehearsalSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = dict(checked(OpenSerializer, request.data).validated_data)
        hand_over = get_object_or_404(HandOver, pk=asked.pop("hand_over"), illustration=found)
        return _answer(actions.open_hand_over(hand_over, request.user, asked), 201)


class OutsideView(APIView):
    """A package from outside: one archive, or its files."""

    parser_classes = [MultiPartParser]

    @extend_schema(request=OutsideSerializer, responses={201: RehearsalSerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(OutsideSerializer, request.data).validated_data
        return _answer(actions.open_outside(found, request.user, *_sent(asked)), 201)


class MissingView(APIView):
    """Files in which what is missing of a package is looked for: one archive, or loose files."""

    parser_classes = [MultiPartParser]

    @extend_schema(request=OutsideSerializer, responses={201: RehearsalSerializer})
    def post(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR)
        asked = checked(OutsideSerializer, request.data).validated_data
        return _answer(actions.look_for_missing(found, request.user, *_sent(asked)), 201)


class RehearsalView(APIView):
    """One package that is tried out."""

    @extend_schema(responses=RehearsalSerializer)
    def get(self, request: SignedInRequest, rehearsal: int) -> Response:
        return _answer(queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER))

    @extend_schema(request=ReadingSerializer, responses=RehearsalSerializer)
    def put(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR)
        reading = dict(checked(ReadingSerializer, request.data).validated_data)
        return _answer(actions.read_again(found, request.user, reading))

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, rehearsal: int) -> Response:
        actions.close(queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR))
        return Response(status=204)


class RehearsalPictureView(APIView):
    """What was put together ('together'), what it is compared with ('reference'), or by how many levels they differ ('difference')."""

    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, rehearsal: int, name: str, digest: str) -> HttpResponseBase:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        if queries.picture_of(found, f"{name}.png") != digest:
            raise Http404
        return answered(request, digest, "image/png", cache=FOR_EVER)


class LinedUpPackageView(APIView):
    """The package that was made of images that are lined up, as a ZIP."""

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, rehearsal: int) -> HttpResponseBase:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        digest = queries.picture_of(found, actions.PACKAGE)
        name = f"{PurePosixPath(found.name).stem or 'package'} lined up.zip"
        record(Entry.Kind.DOWNLOAD, name, found.illustration.project_id)
        return answered(request, digest, "application/zip", name)


class ChangesView(APIView):
    """What is otherwise in a package than in the hand-over before."""

    @extend_schema(responses=ChangesSerializer)
    def get(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        return Response(ChangesSerializer(queries.changes_of(found)).data)


class ScreensView(APIView):
    """A package on screens of other sizes: where each part lies, and what is wrong there."""

    @extend_schema(
        parameters=[
            OpenApiParameter("size", str, many=True, required=True, description="Width and height, such as 1920x1080.")
        ],
        responses=ScreenSerializer(many=True),
    )
    def get(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        screens = apart.ask(found.pk, queries.on_screens_of, found, request.query_params.getlist("size"))
        return Response(ScreenSerializer([one.as_json() for one in screens], many=True).data)


class MotionView(APIView):
    """How the parts of a package move."""

    @extend_schema(responses=MotionSerializer)
    def get(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        return _motion_answer(request, found, moving.motion_of(found))


class MotionStepsView(APIView):
    """A step on a motion carried out: any of the table in docs/formats/motion.md."""

    @extend_schema(request=MotionStepSerializer, responses=MotionSerializer)
    def post(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR)
        said = checked(MotionStepSerializer, request.data).validated_data
        motion = moving.perform(found, request.user, said["version"], said["command"], said.get("id"))
        return _motion_answer(request, found, motion)


class _MotionReplay(APIView):
    becomes: MotionStep.State

    @extend_schema(request=MotionRepeatSerializer, responses=MotionSerializer)
    def post(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR)
        said = checked(MotionRepeatSerializer, request.data).validated_data
        return _motion_answer(request, found, moving.replay(found, request.user, said.get("id"), self.becomes))


class UndoMotionView(_MotionReplay):
    """Taking back one's own last step on a motion."""

    becomes = MotionStep.State.UNDONE


class RedoMotionView(_MotionReplay):
    """Doing again what was undone of a motion."""

    becomes = MotionStep.State.DONE


class KeepMotionView(APIView):
    """A motion, kept on one's own shelf for other figures."""

    @extend_schema(request=KeepMotionSerializer, responses={201: KeptSerializer})
    def post(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        name = checked(KeepMotionSerializer, request.data).validated_data["name"]
        return Response(KeptSerializer(moving.keep(found, request.user, name)).data, status=201)


class FitMotionView(APIView):
    """A kept motion beside a package; nothing is changed."""

    @extend_schema(responses=MotionFitSerializer)
    def get(self, request: SignedInRequest, rehearsal: int, kept: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        motion = kept_of(request.user, kept, Kept.Kind.MOTION)
        return Response(MotionFitSerializer(moving.fitted(found, motion)).data)


class LayMotionView(APIView):
    """A kept motion, laid on a package."""

    @extend_schema(request=LayMotionSerializer, responses=MotionSerializer)
    def post(self, request: SignedInRequest, rehearsal: int, kept: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR)
        said = checked(LayMotionSerializer, request.data).validated_data
        motion = kept_of(request.user, kept, Kept.Kind.MOTION)
        return _motion_answer(request, found, moving.lay(found, request.user, said["version"], motion, said.get("id")))


class MotionSamplesView(APIView):
    """Where a motion takes every part at each picture of one iteration (docs/formats/motion.md)."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, rehearsal: int) -> HttpResponse:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        version, data = moving.samples(found)
        headers = {"Cache-Control": "no-store", "Motion-Version": str(version), "Content-Security-Policy": NEVER_A_PAGE}
        return HttpResponse(data, content_type="application/octet-stream", headers=headers)


class FilmsView(APIView):
    """The films of a package, the newest first."""

    @extend_schema(responses=FilmSerializer(many=True))
    def get(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.VIEWER)
        return Response(FilmSerializer(found.films.select_related("job").order_by("-id"), many=True).data)

    @extend_schema(request=AskFilmSerializer, responses={201: FilmSerializer})
    def post(self, request: SignedInRequest, rehearsal: int) -> Response:
        found = queries.rehearsal_for(request.user, rehearsal, Member.Role.EDITOR)
        asked = checked(AskFilmSerializer, request.data).validated_data
        return Response(FilmSerializer(filming.ask(found, request.user, **asked)).data, status=201)


class FilmView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, film: int) -> Response:
        filming.discard(queries.film_for(request.user, film, Member.Role.EDITOR))
        return Response(status=204)


class FilmFileView(APIView):
    """The file of a film."""

    @extend_schema(responses={(200, "application/octet-stream"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, film: int) -> HttpResponseBase:
        found = queries.film_for(request.user, film, Member.Role.VIEWER)
        if not found.file:
            raise Http404
        kind = cast(Kind, found.kind)
        what = "film" if kind in FILM_ENDINGS else "motion"
        name = f"{found.rehearsal.illustration.name} {what}{ENDINGS[kind]}"
        kind_of_file = mimetypes.guess_type(name)[0] or "application/octet-stream"
        record(Entry.Kind.DOWNLOAD, name, found.rehearsal.illustration.project_id)
        return answered(request, found.file, kind_of_file, name)


def _motion_answer(request: SignedInRequest, rehearsal: Rehearsal, motion: Motion | None) -> Response:
    return Response(MotionSerializer(moving.payload(rehearsal, request.user, motion)).data)


def _sent(asked: dict[str, Any]) -> tuple[str, int, IO[bytes]]:
    """What was sent as one archive: its name, size and content."""
    files, paths = asked["file"], asked.get("path", [])
    if len(files) == 1 and files[0].name.lower().endswith(".zip"):
        return files[0].name, files[0].size, files[0]
    named = [(paths[at] if at < len(paths) else file.name, file) for at, file in enumerate(files)]
    called = files[0].name if len(files) == 1 else asked["together"] or "loose files"
    return (called, *packed(named, called)[1:])


def _answer(rehearsal: Rehearsal, status: int = 200) -> Response:
    return Response(RehearsalSerializer(rehearsal).data, status=status)
