"""Settings of the process that holds streams: it answers nothing else."""

from yuplet_server.project.settings import *  # noqa: F403 - the same but for what follows

ROOT_URLCONF = "yuplet_server.project.stream_urls"
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
]
