import shutil

from django.conf import settings
from django.contrib.auth import logout
from django.http import Http404
from django.utils.decorators import method_decorator
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.utils import extend_schema
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts import actions, limits, sessions
from yuplet_server.accounts.models import User
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.accounts.serializers import (
    PasswordSerializer,
    SessionSerializer,
    SignedInSerializer,
    SignInSerializer,
    UserSerializer,
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
    }


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
