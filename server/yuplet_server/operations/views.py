import ipaddress
import threading

from cachetools import TTLCache, cached
from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from drf_spectacular.utils import extend_schema
from prometheus_client import CONTENT_TYPE_LATEST
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest
from yuplet_server.operations import health, metrics
from yuplet_server.operations.queries import queue_of
from yuplet_server.operations.serializers import QueuedSerializer


def live(request: HttpRequest) -> HttpResponse:
    """Whether this process answers at all."""
    return JsonResponse({"ok": True})


@cached(TTLCache(1, 2), lock=threading.Lock())
def _checks() -> list[health.Check]:
    # Whoever asks often learns nothing more, and costs nothing.
    return health.checks()


def ready(request: HttpRequest) -> HttpResponse:
    """Whether work can be done; 503 where it cannot. What is in the way is told to this machine and to those that may ask for figures."""
    found = _checks()
    is_right = all(one.is_right for one in found)
    told = {one.name: one.is_right for one in found}
    about = [one.about for one in found if not one.is_right] if _may_look(request) else []
    return JsonResponse({"ok": is_right, "checks": told, "about": about}, status=200 if is_right else 503)


def figures(request: HttpRequest) -> HttpResponse:
    """Figures for Prometheus; for others than this machine and those of the settings there is no such address."""
    if not _may_look(request):
        raise Http404
    return HttpResponse(metrics.text(), content_type=CONTENT_TYPE_LATEST)


def _may_look(request: HttpRequest) -> bool:
    try:
        visitor = ipaddress.ip_address(request.META.get("REMOTE_ADDR", ""))
    except ValueError:
        return False
    return visitor.is_loopback or any(visitor in ipaddress.ip_network(one) for one in settings.METRICS_MACHINES)


class QueueView(APIView):
    """What runs and what waits: of one's own projects, and for an administrator of all."""

    @extend_schema(responses=QueuedSerializer(many=True))
    def get(self, request: SignedInRequest) -> Response:
        return Response(QueuedSerializer(queue_of(request.user), many=True).data)
