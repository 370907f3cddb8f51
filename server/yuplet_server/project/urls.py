"""All addresses: the API under /api/, everything else is the front end's single page."""

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import include, path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie
from drf_spectacular.views import SpectacularJSONAPIView

from yuplet_server.accounts.openid import come_back
from yuplet_server.accounts.service import NAME
from yuplet_server.operations import views as operations


@ensure_csrf_cookie
def page(request: HttpRequest) -> HttpResponse:
    """The front end; its own router knows the rest of the address."""
    index = settings.WEB / "index.html"
    if not index.exists():
        return HttpResponse("The front end is not built yet. Run ./start.", status=503, content_type="text/plain")
    return HttpResponse(index.read_bytes(), headers={"Cache-Control": "no-cache"})


urlpatterns = [
    path("health/live", operations.live),
    path("health/ready", operations.ready),
    path("metrics", operations.figures),
    path("api/", include("yuplet_server.operations.urls")),
    path("api/", include("yuplet_server.accounts.urls")),
    path("api/", include("yuplet_server.audit.urls")),
    path("api/", include("yuplet_server.projects.urls")),
    path("api/", include("yuplet_server.people.urls")),
    path("api/", include("yuplet_server.illustrations.urls")),
    path("api/", include("yuplet_server.arrangement.urls")),
    path("api/", include("yuplet_server.shelf.urls")),
    path("api/", include("yuplet_server.handovers.urls")),
    path("api/", include("yuplet_server.rehearsals.urls")),
    path("api/", include("yuplet_server.receivers.urls")),
    path("api/", include("yuplet_server.transfer.urls")),
    path("api/", include("yuplet_server.jobs.urls")),
    path("api/", include("yuplet_server.events.urls")),
    path("api/schema", SpectacularJSONAPIView.as_view(), name="schema"),
    # Named so by allauth, which makes the address of it.
    path("sign-in/service", come_back, {"provider_id": NAME}, name="openid_connect_callback"),
    re_path(r"^(?!api/|assets/|health/|metrics$).*$", page),
]
