"""What is done with every request and answer: where it comes from, and a policy that keeps every page to our own origin: nothing is fetched from elsewhere, and nothing uploaded ever runs."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

# Styles are set in place by the component library; scripts never are.
POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' blob: data:;"
    " font-src 'self'; connect-src 'self' blob:; object-src 'none'; base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)


class FrontServer:
    """Through our own front server, which reaches us by a socket of our own, the visitor's address is the one that it tells."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if not request.META.get("REMOTE_ADDR"):
            request.META["REMOTE_ADDR"] = request.META.get("HTTP_X_FORWARDED_FOR", "")
        return self._get_response(request)


class ContentSecurityPolicy:
    """Adds the policy to every answer that has none of its own."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self._get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self._get_response(request)
        response.headers.setdefault("Content-Security-Policy", POLICY)
        return response
