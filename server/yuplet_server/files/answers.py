"""Kept files as answers, without passing them through Python where another can send them."""

from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse, HttpResponseRedirect, StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils.http import content_disposition_header
from rest_framework.request import Request

from yuplet_server.files.disk import DiskStore
from yuplet_server.files.store import blobs, open_blob, place_of

FOR_EVER = "private, max-age=31536000, immutable"
NEVER_A_PAGE = "sandbox; default-src 'none'"
SENDS = "HTTP_X_SENDS_FILES"
"""What our front server says of itself with each request, and lets nobody else say (ops/front.py)."""


def answered(
    request: HttpRequest | Request,
    digest: str,
    content_type: str,
    file_name: str = "",
    cache: str = "private, no-cache",
) -> HttpResponseBase:
    """A kept file, as one to be saved where it has a name. It never is a page of ours, whatever is in it.

    A front server that says that it sends files is only told which (`X-Accel-Redirect`); a store on other machines may be, too.
    """
    named = content_disposition_header(True, file_name) if file_name else None
    headers: dict[str, Any] = {"Content-Security-Policy": NEVER_A_PAGE, "Cache-Control": cache}
    if named:
        headers["Content-Disposition"] = named
    store = blobs()
    if isinstance(store, DiskStore):
        # One that is missing is a fault of ours, with a number, and not just nothing there.
        if not store.exists(digest):
            raise FileNotFoundError(digest)
        if SENDS in request.META:
            told = {**headers, "X-Accel-Redirect": f"/kept/{place_of(digest)}"}
            return HttpResponse(content_type=content_type, headers=told)
        file = open_blob(digest)
        return FileResponse(
            file, as_attachment=bool(named), filename=file_name, content_type=content_type, headers=headers
        )
    if named and (address := store.signed(digest, named, content_type)):
        return HttpResponseRedirect(address, headers={"Cache-Control": "no-store"})
    if SENDS in request.META and (place := store.place_for_front(digest, content_type)):
        return HttpResponse(content_type=content_type, headers={**headers, "X-Accel-Redirect": place})
    size, pieces = store.stream(digest)
    return StreamingHttpResponse(pieces, content_type=content_type, headers={**headers, "Content-Length": str(size)})
