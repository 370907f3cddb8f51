"""Settings of the process that holds streams: it answers nothing else."""

from yuplet_server.project.settings import *  # noqa: F403 - the same but for what follows
from yuplet_server.project.settings import INSTALLED_APPS

# Nobody signs in here, and allauth would want a part of its own in what follows.
INSTALLED_APPS = [name for name in INSTALLED_APPS if not name.startswith("allauth")]
ROOT_URLCONF = "yuplet_server.project.stream_urls"
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
]
