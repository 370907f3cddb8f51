from asgiref.sync import sync_to_async
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse, StreamingHttpResponse
from django.http.response import HttpResponseBase
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest
from yuplet_server.events.hub import HUB, Full, Listener
from yuplet_server.illustrations.queries import illustration_for
from yuplet_server.projects.models import Member


class EventsView(APIView):
    """What others do with an illustration, as server-sent events: each a JSON with the version of the `arrangement`, marks that change with its
    `motion` and its `revisions`, and who is `here`. The first tells how it stands, so that nothing is lost between two connections. 204 where nobody
    streams; ask from time to time instead."""

    @extend_schema(responses={(200, "text/event-stream"): OpenApiTypes.STR, 204: None})
    def get(self, request: SignedInRequest, illustration: int) -> HttpResponse:
        illustration_for(request.user, illustration, Member.Role.VIEWER)
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})


async def events(request: HttpRequest, illustration: int) -> HttpResponseBase:
    """The same where streams are held (project/asgi.py)."""
    user = await request.auser()
    if not user.is_authenticated:
        return JsonResponse({"code": "refused", "detail": "Sign in first."}, status=403)
    try:
        await sync_to_async(illustration_for)(user, illustration, Member.Role.VIEWER)
    except Http404:
        return JsonResponse({"code": "refused", "detail": "This is not there."}, status=404)
    listener = Listener(illustration, user.pk, request.session.session_key or "")
    try:
        await HUB.add(listener)
    except Full:
        return JsonResponse(
            {"code": "busy", "detail": "Too many pages are open. Close some, and reload this one."}, status=503
        )
    headers = {"Cache-Control": "no-store", "X-Accel-Buffering": "no", "Content-Security-Policy": "default-src 'none'"}
    return StreamingHttpResponse(HUB.stream(listener), content_type="text/event-stream", headers=headers)
