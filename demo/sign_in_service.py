"""A stand-in for the sign-in service of a studio, on this machine: it speaks the whole protocol (`oidc-provider-mock`, built on Authlib)."""

import logging
import re
import threading
import warnings
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from flask import Response
from werkzeug.serving import make_server

from yuplet_server.accounts.service import SignInService

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from oidc_provider_mock import User, app


def settings_for(address: str, makes_accounts: bool = True) -> dict[str, Any]:
    """Django's settings with a service."""
    service = SignInService(address, "yuplet", "a-secret-between-us", "Marsh studio", makes_accounts)
    return {"OPENID": service, "SOCIALACCOUNT_PROVIDERS": {"openid_connect": {"APPS": [service.for_allauth()]}}}


@contextmanager
def studio_service(known: Mapping[str, dict[str, object]]) -> Iterator[dict[str, Any]]:
    """A service that knows some people, by their subjects, and what it tells of them; the settings with it."""
    logging.getLogger("werkzeug").setLevel(logging.ERROR)
    service = app(user_claims=[User(sub=subject, claims=claims) for subject, claims in known.items()])

    @service.after_request
    def _stay_here(response: Response) -> Response:
        # Its page would fetch a style from elsewhere.
        response.set_data(re.sub(rb'<link\b[^>]*"https:[^>]*>', b"", response.get_data()))
        return response

    server = make_server("localhost", 0, service, threaded=True)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield settings_for(f"http://localhost:{server.server_port}")
    finally:
        server.shutdown()
        thread.join()
        server.server_close()
