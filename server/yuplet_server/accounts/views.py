import shutil

from django.conf import settings
from django.contrib.auth import logout
from django.http import Http404
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework.exceptions import NotAuthenticated
from rest_framework.permissions import AllowAny, BasePermission, IsAuthenticated
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts import actions, limits, openid, passwords, sessions, two_steps
from yuplet_server.accounts.models import TwoStep, User
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.accounts.serializers import (
    NewSecretSerializer,
    OnlyPasswordSerializer,
    PasswordSerializer,
    RecoveryCodesSerializer,
    ServiceSerializer,
    SessionSerializer,
    SignedInSerializer,
    SignInSerializer,
    ToServiceSerializer,
    TurnOnSerializer,
    TwoStepSerializer,
    UserSerializer,
    WayThereSerializer,
)


@method_decorator(ensure_csrf_cookie, name="dispatch")
class SessionView(APIView):
    """Signing in and out."""

    permission_classes = [AllowAny]

    @extend_schema(responses=SessionSerializer)
    def get(self, request: Request) -> Response:
        user = request.user if request.user.is_authenticated else None
        return Response(_session_of(user))

    @extend_schema(request=SignInSerializer, responses=SessionSerializer)
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        asked = checked(SignInSerializer, request.data)
        user = actions.sign_in(request._request, **asked.validated_data)
        answer = Response(_session_of(user))
        limits.remember_browser(request._request, answer, user)
        return answer

    @extend_schema(responses={204: None})
    def delete(self, request: Request) -> Response:
        logout(request._request)
        return Response(status=204)


class SessionsView(APIView):
    """Where one is signed in."""

    @extend_schema(responses=SignedInSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        told = {"session": request._request.session.session_key}
        return Response(SignedInSerializer(sessions.of(request.user), many=True, context=told).data)

    @extend_schema(operation_id="sign_out_elsewhere", responses={204: None})
    def delete(self, request: SignedInRequest) -> Response:
        """Sign out everywhere else."""
        sessions.end(request.user, None, request._request.session.session_key)
        return Response(status=204)


class OtherSessionView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, number: int) -> Response:
        """Sign out in one browser; it is no longer there where it has ended already."""
        if not sessions.end(request.user, number, None):
            raise Http404
        return Response(status=204)


def _session_of(user: User | None) -> dict[str, object]:
    return {
        "user": UserSerializer(user).data if user else None,
        "picture_bytes": settings.PAGE_PICTURES,
        "can_mail": settings.MAIL is not None,
        "service": settings.OPENID and settings.OPENID.name,
    }


class TwoStepView(APIView):
    """Two-step sign-in of one's own account."""

    @extend_schema(responses=TwoStepSerializer)
    def get(self, request: SignedInRequest) -> Response:
        found = TwoStep.objects.filter(user=request.user).first()
        told = {"since": found and found.since, "codes_left": two_steps.codes_left(request.user)}
        return Response(TwoStepSerializer(told).data)

    @extend_schema(request=TurnOnSerializer, responses=RecoveryCodesSerializer)
    def put(self, request: SignedInRequest) -> Response:
        """Turn it on, with a code of the application that has the new secret; all other sessions end."""
        asked = checked(TurnOnSerializer, request.data).validated_data
        passwords.require_own(request._request, request.user, asked["password"])
        return _codes(two_steps.turn_on(request._request, request.user, asked["code"]))


class NewSecretView(APIView):
    @extend_schema(request=None, responses={201: NewSecretSerializer})
    def post(self, request: SignedInRequest) -> Response:
        """A new secret, which counts from when two-step sign-in is turned on with it."""
        secret, address, picture = two_steps.begin(request._request, request.user)
        told = {"secret": secret, "address": address, "picture": picture}
        return Response(NewSecretSerializer(told).data, status=201, headers={"Cache-Control": "no-store"})


class RecoveryCodesView(APIView):
    @extend_schema(request=OnlyPasswordSerializer, responses={201: RecoveryCodesSerializer})
    def post(self, request: SignedInRequest) -> Response:
        """New recovery codes; those of before are worth nothing."""
        _require_password(request)
        return _codes(two_steps.new_codes(request.user), 201)


class TwoStepOffView(APIView):
    @extend_schema(request=OnlyPasswordSerializer, responses={204: None})
    def post(self, request: SignedInRequest) -> Response:
        """Turn two-step sign-in off."""
        _require_password(request)
        two_steps.turn_off(request.user, request.user)
        return Response(status=204)


def _require_password(request: SignedInRequest) -> None:
    password = checked(OnlyPasswordSerializer, request.data).validated_data["password"]
    passwords.require_own(request._request, request.user, password)


def _codes(codes: list[str], status: int = 200) -> Response:
    return Response(RecoveryCodesSerializer({"codes": codes}).data, status, headers={"Cache-Control": "no-store"})


@method_decorator(ensure_csrf_cookie, name="dispatch")
class ServiceView(APIView):
    """The studio's own sign-in service; where there is none, there is nothing of the kind."""

    def initial(self, request: Request, *args: object, **kwargs: object) -> None:
        if settings.OPENID is None:
            raise Http404
        super().initial(request, *args, **kwargs)

    def get_permissions(self) -> list[BasePermission]:
        return [AllowAny() if self.request.method == "POST" else IsAuthenticated()]

    @extend_schema(responses=ServiceSerializer)
    def get(self, request: SignedInRequest) -> Response:
        return Response(ServiceSerializer({"is_connected": openid.is_connected(request.user)}).data)

    @extend_schema(request=ToServiceSerializer, responses=WayThereSerializer)
    @method_decorator(csrf_protect)
    def post(self, request: Request) -> Response:
        """Where to go to sign in; one comes back signed in, or with `?service=` and why not."""
        asked = checked(ToServiceSerializer, request.data).validated_data
        if asked["connects"] and not request.user.is_authenticated:
            raise NotAuthenticated
        return Response(WayThereSerializer({"address": openid.way_there(request._request, **asked)}).data)

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest) -> Response:
        """Disconnect the account from it."""
        openid.disconnect(request.user)
        return Response(status=204)


class MayUploadView(APIView):
    """Asked by the front server before it reads an upload: 204, 401 where nobody is signed in, 403 where the disk has no room for it."""

    permission_classes = [AllowAny]

    @extend_schema(exclude=True)
    def get(self, request: Request) -> Response:
        if not request.user.is_authenticated:
            return Response(status=401)
        length = request.headers.get("X-Upload-Length", "")
        # It is on the disk twice until it is kept, and once more as what is read of it.
        needed = 3 * int(length) if length.isdigit() else 0
        room = shutil.disk_usage(settings.VAR).free
        return Response(status=204 if room > needed + settings.ROOM_LEFT else 403)


class PasswordView(APIView):
    """Changing one's own password."""

    @extend_schema(request=PasswordSerializer, responses={204: None})
    def post(self, request: SignedInRequest) -> Response:
        asked = checked(PasswordSerializer, request.data)
        values = asked.validated_data
        actions.change_password(request._request, request.user, values["old_password"], values["new_password"])
        return Response(status=204)
