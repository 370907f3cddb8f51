from django.conf import settings
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import PermissionDenied
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet.errors import shown
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.projects import actions, queries
from yuplet_server.projects.models import Member, Project
from yuplet_server.projects.serializers import (
    MemberSerializer,
    ProjectNameSerializer,
    ProjectSerializer,
    RoomSerializer,
)


def _seen(request: SignedInRequest, project_id: int) -> Response:
    project = queries.projects_of(request.user).get(id=project_id)
    return Response(ProjectSerializer(_with_role(project, queries.role_in(request.user, project_id))).data)


def _with_role(project: Project, role: str) -> Project:
    project.role = role  # type: ignore[attr-defined]
    return project


def _name(request: SignedInRequest) -> str:
    asked = checked(ProjectNameSerializer, request.data)
    return str(asked.validated_data["name"])


class ProjectsView(APIView):
    """The projects of whoever is signed in."""

    @extend_schema(responses=ProjectSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        roles = dict(Member.objects.filter(user=request.user).values_list("project_id", "role"))
        projects = [_with_role(project, roles[project.pk]) for project in queries.projects_of(request.user)]
        return Response(ProjectSerializer(projects, many=True).data)

    @extend_schema(request=ProjectNameSerializer, responses={201: ProjectSerializer})
    def post(self, request: SignedInRequest) -> Response:
        project = actions.start_project(request.user, _name(request))
        answer = _seen(request, project.pk)
        answer.status_code = 201
        return answer


class RoomView(APIView):
    """What the projects of whoever is signed in take together."""

    @extend_schema(responses=RoomSerializer)
    def get(self, request: SignedInRequest) -> Response:
        told = {"bytes": queries.bytes_of(request.user), "most_bytes": settings.ACCOUNT_BYTES or None}
        return Response(RoomSerializer(told).data)


class ProjectView(APIView):
    """One project."""

    @extend_schema(responses=ProjectSerializer)
    def get(self, request: SignedInRequest, project: int) -> Response:
        queries.require(request.user, project, Member.Role.VIEWER)
        return _seen(request, project)

    @extend_schema(request=ProjectNameSerializer, responses=ProjectSerializer)
    def patch(self, request: SignedInRequest, project: int) -> Response:
        actions.rename_project(queries.project_for(request.user, project, Member.Role.OWNER), _name(request))
        return _seen(request, project)

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, project: int) -> Response:
        actions.remove_project(queries.project_for(request.user, project, Member.Role.OWNER), request.user)
        return Response(status=204)


class RestoreProjectView(APIView):
    """A project out of the bin."""

    @extend_schema(request=None, responses=ProjectSerializer)
    def post(self, request: SignedInRequest, project: int) -> Response:
        if queries.role_in(request.user, project, in_bin=True) != Member.Role.OWNER:
            raise PermissionDenied("Only an owner takes a project out of the bin. Ask one.")
        actions.restore_project(project)
        return _seen(request, project)


class MembersView(APIView):
    """Who may do what in a project."""

    @extend_schema(responses=MemberSerializer(many=True))
    def get(self, request: SignedInRequest, project: int) -> Response:
        queries.require(request.user, project, Member.Role.VIEWER)
        members = Member.objects.filter(project_id=project).select_related("user").order_by("user__username")
        return Response(MemberSerializer(members, many=True).data)

    @extend_schema(request=MemberSerializer, responses=MemberSerializer)
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = queries.project_for(request.user, project, Member.Role.OWNER)
        asked = checked(MemberSerializer, request.data)
        values = asked.validated_data
        name = values["user"]["username"]
        if not queries.knows(request.user, name):
            # The same whether there is such an account or not.
            raise actions.MemberRefused(
                f"Nobody in your projects is called '{shown(name)}'. Give them an invitation instead: a link by which they join."
            )
        return Response(MemberSerializer(actions.set_role(found, name, values["role"])).data)


class MemberView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, project: int, user: int) -> Response:
        # Anybody may leave; only an owner sends others away.
        needed = Member.Role.VIEWER if user == request.user.pk else Member.Role.OWNER
        actions.remove_member(queries.project_for(request.user, project, needed), user)
        return Response(status=204)
