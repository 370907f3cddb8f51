from django.conf import settings
from django.db.models import Count, Exists, OuterRef, QuerySet
from django.http import Http404
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework.permissions import AllowAny, IsAdminUser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts import limits
from yuplet_server.accounts.models import TwoStep, User
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.accounts.serializers import UserSerializer
from yuplet_server.people import actions
from yuplet_server.people.models import Link
from yuplet_server.people.serializers import (
    AccountChangeSerializer,
    AccountSerializer,
    InviteIntoSerializer,
    InviteSerializer,
    MadeLinkSerializer,
    OpenedLinkSerializer,
    SendLinkSerializer,
    UseLinkSerializer,
)
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member


def _accounts() -> QuerySet[User]:
    has_two_steps = Exists(TwoStep.objects.filter(user=OuterRef("pk")))
    return User.objects.annotate(projects=Count("memberships"), has_two_steps=has_two_steps).order_by("username")


def _account(number: int) -> User:
    found = _accounts().filter(pk=number).first()
    if found is None:
        raise Http404
    return found


def _made(token: str, purpose: Link.Purpose) -> Response:
    told = {"path": f"/come-in/{token}", "days": actions.DAYS[purpose]}
    return Response(MadeLinkSerializer(told).data, status=201)


class AccountsView(APIView):
    """All accounts, for an administrator."""

    permission_classes = [IsAdminUser]

    @extend_schema(responses=AccountSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        return Response(AccountSerializer(_accounts(), many=True, context={"bytes": queries.bytes_by_owner()}).data)


class AccountView(APIView):
    permission_classes = [IsAdminUser]

    @extend_schema(request=AccountChangeSerializer, responses=AccountSerializer)
    def patch(self, request: SignedInRequest, account: int) -> Response:
        asked = checked(AccountChangeSerializer, request.data)
        actions.change(_account(account), request.user, **asked.validated_data)
        return Response(AccountSerializer(_account(account), context={"bytes": queries.bytes_by_owner()}).data)

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, account: int) -> Response:
        actions.remove(_account(account), request.user)
        return Response(status=204)


class InvitationsView(APIView):
    """Asking somebody in, who has no account yet."""

    permission_classes = [IsAdminUser]

    @extend_schema(request=InviteSerializer, responses={201: MadeLinkSerializer})
    def post(self, request: SignedInRequest) -> Response:
        asked = checked(InviteSerializer, request.data)
        return _made(actions.invite(request.user, **asked.validated_data), Link.Purpose.ACCOUNT)


class NewPasswordView(APIView):
    """A link for somebody who has forgotten the password."""

    permission_classes = [IsAdminUser]

    @extend_schema(request=None, responses={201: MadeLinkSerializer})
    def post(self, request: SignedInRequest, account: int) -> Response:
        return _made(actions.let_set_password(_account(account), request.user), Link.Purpose.PASSWORD)


class ProjectInvitationsView(APIView):
    """Asking somebody into a project, whether one knows the name of an account or not."""

    @extend_schema(request=InviteIntoSerializer, responses={201: MadeLinkSerializer})
    def post(self, request: SignedInRequest, project: int) -> Response:
        found = queries.project_for(request.user, project, Member.Role.OWNER)
        asked = checked(InviteIntoSerializer, request.data)
        return _made(actions.invite_into(found, asked.validated_data["role"], request.user), Link.Purpose.PROJECT)


class SendLinkView(APIView):
    """Sending a link by mail, for whoever has made it; where the server has no mail server, there is nothing of the kind."""

    @extend_schema(request=SendLinkSerializer, responses={204: None})
    def post(self, request: SignedInRequest, token: str) -> Response:
        link = actions.opened(token)
        if settings.MAIL is None or link.made_by != request.user:
            raise Http404
        to = checked(SendLinkSerializer, request.data).validated_data["to"]
        # Whoever sends without end waits longer each time.
        limits.count([f"mail:{request.user.pk}"])
        actions.send(link, request.build_absolute_uri(f"/come-in/{token}"), to)
        return Response(status=204)


@method_decorator(ensure_csrf_cookie, name="dispatch")
class LinkView(APIView):
    """A link that somebody was given."""

    permission_classes = [AllowAny]

    @extend_schema(responses=OpenedLinkSerializer)
    def get(self, request: Request, token: str) -> Response:
        link = actions.opened(token)
        told = {
            "purpose": link.purpose,
            "project": link.project and link.project.name,
            "role": link.role,
            "account": link.account and link.account.username,
            "made_by": link.made_by.username,
        }
        return Response(OpenedLinkSerializer(told).data)

    @extend_schema(request=UseLinkSerializer, responses=UserSerializer)
    @method_decorator(csrf_protect)
    def post(self, request: Request, token: str) -> Response:
        asked = checked(UseLinkSerializer, request.data)
        user = actions.use(request._request, token, **asked.validated_data)
        answer = Response(UserSerializer(user).data)
        limits.remember_browser(request._request, answer, user)
        return answer
