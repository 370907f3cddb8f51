"""The entry of the web server."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "yuplet_server.project.settings")
application = get_wsgi_application()
