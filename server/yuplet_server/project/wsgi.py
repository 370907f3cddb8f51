"""The entry of the web server."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yuplet_server.project.settings")
application = get_wsgi_application()

from django.conf import settings  # noqa: E402 - once it is set up

from yuplet_server.jobs import apart  # noqa: E402

if settings.APART:
    apart.warm()
