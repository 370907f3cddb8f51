from typing import Any

from django.http import Http404, HttpResponse, StreamingHttpResponse
from django.utils.http import content_disposition_header
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.files.answers import NEVER_A_PAGE
from yuplet_server.handovers import actions, keeping, queries, together
from yuplet_server.handovers.models import Recipe, WatchedSource
from yuplet_server.handovers.roots import roots_for
from yuplet_server.handovers.serializers import (
    AskSerializer,
    AskTogetherSerializer,
    CandidateSerializer,
    HandOverSerializer,
    PlanSerializer,
    PlanWantedSerializer,
    ProjectHandOverSerializer,
    RecipeSerializer,
    RootsSerializer,
    SaveRecipeSerializer,
    SetWatchedSourceSerializer,
    WantedImageSerializer,
    WatchedSourceSerializer,
)
from yuplet_server.illustrations.queries import ready_illustration_for
from yuplet_server.jobs import apart
from yuplet_server.projects.models import Member
from yuplet_server.projects.queries import project_for


class RecipesView(APIView):
    """The recipes of a project, and those that come with Yuplet."""

    @extend_schema(responses=RecipeSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        found = project_for(request.user, project, Member.Role.VIEWER)
        return Response(RecipeSerializer(queries.recipes_of(found), many=True).data)

    @extend_schema(request=SaveRecipeSerializer, responses={201: RecipeSerializer})
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = project_for(request.user, project, Member.Role.EDITOR)
        asked = checked(SaveRecipeSerializer, request.data)
        made = actions.save_recipe(found, request.user, asked.validated_data["document"])
        return Response(_recipe(made), status=201)


class RootsView(APIView):
    """The folders of the server's machine that are open to whoever asks; empty where the administrator has opened none."""

    @extend_schema(responses=RootsSerializer)
    def get(self, request: SignedInRequest) -> Response:
        return Response({"roots": [str(root) for root in roots_for(request.user)]})


class RecipeView(APIView):
    """One recipe of a project."""

    @extend_schema(request=SaveRecipeSerializer, responses=RecipeSerializer)
    def put(self, request: SignedInRequest, recipe: int) -> Response:
        found = queries.recipe_for(request.user, recipe, Member.Role.EDITOR)
        asked = checked(SaveRecipeSerializer, request.data)
        made = actions.save_recipe(found.project, request.user, asked.validated_data["document"], found)
        return Response(_recipe(made))

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, recipe: int) -> Response:
        queries.recipe_for(request.user, recipe, Member.Role.EDITOR).delete()
        return Response(status=204)


class PlanView(APIView):
    """What a hand-over would write now."""

    @extend_schema(request=PlanWantedSerializer, responses=PlanSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        wanted = checked(PlanWantedSerializer, request.data).validated_data
        # Whoever looks into a folder of the server's machine is one who may write there.
        role = Member.Role.EDITOR if wanted["folder"] else Member.Role.VIEWER
        found = ready_illustration_for(request.user, illustration, role)
        plan = apart.ask(
            found.pk, queries.plan_shown, found, wanted["recipe"], wanted["only"], wanted["folder"], request.user
        )
        return Response(PlanSerializer(plan).data)


class PlannedImageView(APIView):
    """A picture of the plan exactly as it would be written: an image, a sheet, the picture of the whole."""

    @extend_schema(request=WantedImageSerializer, responses={(200, "image/*"): OpenApiTypes.BINARY})
    def post(self, request: SignedInRequest, illustration: int) -> HttpResponse:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        wanted = checked(WantedImageSerializer, request.data).validated_data
        asked = (wanted["recipe"], wanted["only"], wanted["file"])
        data, kind = apart.ask(found.pk, queries.picture_shown, found, *asked)
        return HttpResponse(data, content_type=kind, headers={"Content-Security-Policy": NEVER_A_PAGE})


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
        asked = checked(AskSerializer, request.data).validated_data
        made = actions.ask(
            found,
            request.user,
            asked["version"],
            asked["recipe"],
            asked["only"],
            asked["folder"],
            asked["remove_obsolete"],
            asked["prove_everything"],
        )
        return Response(HandOverSerializer(made).data, status=201)


class WatchedSourceView(APIView):
    """The file or the folder on the server's machine that an illustration keeps in step with: one, or none."""

    @extend_schema(responses=WatchedSourceSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(WatchedSourceSerializer(WatchedSource.objects.filter(illustration=found), many=True).data)

    @extend_schema(request=SetWatchedSourceSerializer, responses=WatchedSourceSerializer)
    def put(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        said = checked(SetWatchedSourceSerializer, request.data).validated_data
        made = keeping.set_up(
            found, request.user, said["file"], said["recipes"], said["folder"], said["remove_obsolete"]
        )
        return Response(WatchedSourceSerializer(made).data)

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        WatchedSource.objects.filter(illustration=found).delete()
        return Response(status=204)


class PackageView(APIView):
    """The package as a ZIP, made while it is sent."""

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, hand_over: int) -> StreamingHttpResponse:
        found = queries.hand_over_for(request.user, hand_over, Member.Role.VIEWER)
        if not found.files:
            raise Http404
        record(Entry.Kind.DOWNLOAD, actions.file_name(found), found.illustration.project_id)
        named = content_disposition_header(True, actions.file_name(found)) or "attachment"
        return StreamingHttpResponse(
            actions.zipped(found), content_type="application/zip", headers={"Content-Disposition": named}
        )


class CandidatesView(APIView):
    """What of a project can be handed over together."""

    @extend_schema(responses=CandidateSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        found = project_for(request.user, project, Member.Role.VIEWER)
        return Response(CandidateSerializer(together.candidates(found), many=True).data)


class ProjectHandOversView(APIView):
    """Hand-overs of several illustrations of a project together, the newest first."""

    @extend_schema(responses=ProjectHandOverSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        found = project_for(request.user, project, Member.Role.VIEWER)
        return Response(ProjectHandOverSerializer(together.project_hand_overs_of(found)[:20], many=True).data)

    @extend_schema(request=AskTogetherSerializer, responses={201: ProjectHandOverSerializer})
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = project_for(request.user, project, Member.Role.EDITOR)
        asked = checked(AskTogetherSerializer, request.data).validated_data
        by_id = {one["illustration"]: one["recipe"] for one in asked["illustrations"]}
        wanted = []
        for number, document in by_id.items():
            illustration = ready_illustration_for(request.user, number, Member.Role.EDITOR)
            if illustration.project_id != found.pk:
                raise Http404
            wanted.append(together.Wanted(illustration, document))
        made = together.ask(found, request.user, wanted, asked["folder"], asked["remove_obsolete"])
        told = together.project_hand_overs_of(found).get(pk=made.pk)
        return Response(ProjectHandOverSerializer(told).data, status=201)


class ProjectPackageView(APIView):
    """All packages of such a hand-over and what lies beside them as one ZIP, made while it is sent."""

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: SignedInRequest, hand_over: int) -> StreamingHttpResponse:
        found = together.project_hand_over_for(request.user, hand_over, Member.Role.VIEWER)
        if not together.is_kept(found):
            raise Http404
        record(Entry.Kind.DOWNLOAD, together.file_name(found), found.project_id)
        named = content_disposition_header(True, together.file_name(found)) or "attachment"
        return StreamingHttpResponse(
            together.zipped(found), content_type="application/zip", headers={"Content-Disposition": named}
        )


def _recipe(recipe: Recipe) -> dict[str, Any]:
    return RecipeSerializer({"id": recipe.pk, "file": None, "document": recipe.document}).data
