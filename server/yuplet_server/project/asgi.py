"""The entry of the process that holds streams."""

import os

from django.core.asgi import get_asgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yuplet_server.project.stream_settings")
application = get_asgi_application()
