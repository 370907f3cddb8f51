"""Settings. Secrets are in var/secrets.json, made at the first start; the environment says where things are."""

import json
import os
from pathlib import Path
from urllib.parse import urlsplit

import pymysql

from yuplet_server.files.chosen import storage
from yuplet_server.project.environment import require_all, sign_in_service, value

# Django asks for the C driver's name; PyMySQL answers to it (docs/decisions/pymysql.md).
pymysql.install_as_MySQLdb()

require_all()
ROOT = Path(__file__).resolve().parents[3]
VAR = value("YUPLET_VAR") or ROOT / "var"
_SECRETS = json.loads((VAR / "secrets.json").read_text())

SECRET_KEY = value("YUPLET_SECRET_KEY") or _SECRETS["secret_key"]
DEMO_PASSWORD = _SECRETS["demo_password"]
DEBUG = False
ALLOWED_HOSTS = list({"127.0.0.1", "localhost", "[::1]", os.environ.get("YUPLET_HOST", "127.0.0.1")})
# How people reach us: by these names and no others, and where it is https by nothing else.
ADDRESSES = value("YUPLET_ADDRESSES")
ALLOWED_HOSTS += [urlsplit(one).hostname for one in ADDRESSES]
if os.environ.get("YUPLET_HOST") == "0.0.0.0" and not ADDRESSES:  # noqa: S104 - the operator asked for it
    ALLOWED_HOSTS = ["*"]
CSRF_TRUSTED_ORIGINS = list(ADDRESSES)
IS_HTTPS = any(one.startswith("https:") for one in ADDRESSES)
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = IS_HTTPS
SECURE_HSTS_SECONDS = value("YUPLET_HSTS_SECONDS") if IS_HTTPS else 0
# The front server says it and lets nobody else say it (ops/front.py).
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
# Other names of the same domain are not ours to decide about; of allauth's addresses of mail, which MariaDB cannot limit, none is kept.
SILENCED_SYSTEM_CHECKS = ["security.W005", "security.W021", "models.W036"]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "rest_framework",
    "drf_spectacular",
    "django_tasks",
    "django_tasks_db",
    # They speak to a sign-in service; none of their pages is reached.
    "allauth",
    "allauth.account",
    "allauth.socialaccount",
    "allauth.socialaccount.providers.openid_connect",
    "yuplet_server.audit",
    "yuplet_server.accounts",
    "yuplet_server.projects",
    "yuplet_server.people",
    "yuplet_server.illustrations",
    "yuplet_server.arrangement",
    "yuplet_server.shelf",
    "yuplet_server.handovers",
    "yuplet_server.rehearsals",
    "yuplet_server.receivers",
    "yuplet_server.transfer",
    "yuplet_server.jobs",
    "yuplet_server.operations",
    "yuplet_server.events",
]
MIDDLEWARE = [
    "yuplet_server.base.headers.FrontServer",
    "yuplet_server.base.logs.Numbered",
    "yuplet_server.operations.metrics.Counted",
    "yuplet_server.jobs.asked.KnowsWhoAsks",
    "django.middleware.security.SecurityMiddleware",
    "yuplet_server.base.headers.ContentSecurityPolicy",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "allauth.account.middleware.AccountMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "yuplet_server.project.urls"
WSGI_APPLICATION = "yuplet_server.project.wsgi.application"
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]


def _port_of_running() -> str:
    """Where the database of a running ./start listens, for Django's own command line."""
    path = VAR / "port"
    return path.read_text() if path.exists() else ""


SERVER = value("YUPLET_DATABASE")
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.mysql",
        "NAME": SERVER.name if SERVER else "yuplet",
        "USER": SERVER.user if SERVER else "yuplet",
        "PASSWORD": SERVER.password if SERVER else _SECRETS["database_password"],
        "HOST": SERVER.host if SERVER else "127.0.0.1",
        "PORT": SERVER.port if SERVER else os.environ.get("YUPLET_DATABASE_PORT") or _port_of_running(),
        "CONN_MAX_AGE": 60,
        "CONN_HEALTH_CHECKS": True,
        "OPTIONS": {
            "charset": "utf8mb4",
            "connect_timeout": 5,
            "init_command": "SET sql_mode='STRICT_TRANS_TABLES', time_zone='+00:00'",
            "isolation_level": "read committed",
            # Our own server listens on loopback and has no certificate: looking for one costs 20 ms a connection.
            **({} if SERVER else {"ssl_disabled": True}),
        },
        "TEST": {
            "NAME": os.environ.get("YUPLET_TEST_DATABASE", "test_yuplet"),
            "CHARSET": "utf8mb4",
            "COLLATION": "utf8mb4_bin",
        },
    }
}
# A worker that a test starts as a process of its own must find the database of that test.
if "YUPLET_DATABASE_NAME" in os.environ:
    DATABASES["default"]["NAME"] = os.environ["YUPLET_DATABASE_NAME"]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

QUEUE = value("YUPLET_QUEUE")
TASKS = {
    "default": {
        "BACKEND": "yuplet_server.jobs.celery_queue.CeleryBackend" if QUEUE else "django_tasks_db.DatabaseBackend",
        "QUEUES": ["short", "long"],
    }
}

AUTH_USER_MODEL = "accounts.User"
# Those of earlier versions are read, and kept in the new way at the next sign-in.
PASSWORD_HASHERS = ["yuplet_server.accounts.hashing.Argon2", "django.contrib.auth.hashers.PBKDF2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
]
# The studio's own sign-in service, where there is one.
OPENID = sign_in_service()
SOCIALACCOUNT_ADAPTER = "yuplet_server.accounts.openid.Adapter"
SOCIALACCOUNT_PROVIDERS = {"openid_connect": {"APPS": [OPENID.for_allauth()] if OPENID else []}}
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": ["rest_framework.authentication.SessionAuthentication"],
    "DEFAULT_PERMISSION_CLASSES": ["rest_framework.permissions.IsAuthenticated"],
    "DEFAULT_RENDERER_CLASSES": ["rest_framework.renderers.JSONRenderer"],
    "DEFAULT_PARSER_CLASSES": ["yuplet_server.base.parsers.DocumentParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "yuplet_server.base.errors.answer",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Yuplet",
    "DESCRIPTION": "Bring in illustrations, name and order their parts, hand them over.",
    "VERSION": "1",
    "OAS_VERSION": "3.1.1",
    "SERVE_INCLUDE_SCHEMA": False,
    "COMPONENT_SPLIT_REQUEST": True,
    "ENUM_NAME_OVERRIDES": {
        "FilmKind": "yuplet_server.rehearsals.serializers.FILM_KINDS",
        "RoleEnum": "yuplet_server.projects.models.Member.Role",
        "JobKindEnum": "yuplet_server.jobs.models.Job.Kind",
        "JobStateEnum": "yuplet_server.jobs.models.Job.State",
        "KeptKindEnum": "yuplet_server.shelf.models.Kept.Kind",
        "FindingKindEnum": "yuplet_server.arrangement.serializers.FINDING_KINDS",
        "PartRoleEnum": "yuplet_server.arrangement.fields.ROLES",
        "CombineEnum": "yuplet_server.arrangement.fields.WAYS_TO_COMBINE",
        "ReachEnum": "yuplet_server.arrangement.fields.WAYS_TO_REACH",
        "WayEnum": "yuplet_server.rehearsals.serializers.WAYS",
        "RevisionStateEnum": "yuplet_server.illustrations.models.Revision.State",
    },
}

# Heavy work runs in processes of its own, within limits (docs/security.md); only tests run it in their own process.
APART = os.environ.get("YUPLET_APART", "1") != "0"
WORKERS = value("YUPLET_WORKERS")
# Jobs of one person that run at once; 0: no limit.
JOBS_EACH = value("YUPLET_JOBS_EACH")
QUESTION_PROCESSES = value("YUPLET_QUESTION_PROCESSES")
JOB_LIMITS = {
    "seconds": value("YUPLET_JOB_SECONDS"),
    "cpu": value("YUPLET_JOB_CPU_SECONDS"),
    "memory": value("YUPLET_JOB_GIB"),
}
QUESTION_LIMITS = {
    "seconds": value("YUPLET_QUESTION_SECONDS"),
    "cpu": value("YUPLET_QUESTION_CPU_SECONDS"),
    "memory": value("YUPLET_QUESTION_GIB"),
}

# Bytes of decoded pictures of parts that a page keeps.
PAGE_PICTURES = value("YUPLET_PAGE_PICTURES_MIB")
# Bytes of pictures that a process keeps decoded, and of what was computed from them.
PICTURE_CACHE = value("YUPLET_PICTURE_CACHE_GIB")
# Bytes that stay free on the disk when something is uploaded.
ROOM_LEFT = 1 << 30
# Days for which what was removed can be taken back.
BIN_DAYS = value("YUPLET_BIN_DAYS")
# Bytes that a project may have; 0: no limit.
PROJECT_BYTES = value("YUPLET_PROJECT_GIB")
# Bytes that the projects of one account may have together; 0: no limit.
ACCOUNT_BYTES = value("YUPLET_ACCOUNT_GIB")
# Names of demo illustrations that are loaded, with commas between them; none named: all.
DEMO = value("YUPLET_DEMO")
METRICS_MACHINES = value("YUPLET_METRICS_MACHINES")
# Where files are kept: on this machine's disk, or where all machines reach them.
KEPT = {
    "folder": VAR / "blobs",
    "address": value("YUPLET_STORE_ADDRESS"),
    "signs": value("YUPLET_STORE_DOWNLOADS") == "signed",
}
STORAGES = {
    "default": storage(value("YUPLET_STORE"), **KEPT),
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# Where jobs keep what is not finished; of this installation alone.
WORK = value("YUPLET_WORK") or VAR / "work"
# Of each illustration and recipe, so many packages are kept for download.
KEEP_PACKAGES = value("YUPLET_KEEP_PACKAGES")
# Folders of this machine that the administrator opens, each to an account or a project: 'ada=/srv/art:project 12=/srv/game'.
ROOTS = value("YUPLET_ROOTS")
# An upload goes straight to the disk, whatever its size.
FILE_UPLOAD_HANDLERS = ["django.core.files.uploadhandler.TemporaryFileUploadHandler"]
DATA_UPLOAD_MAX_MEMORY_SIZE = 4 << 20

# By which links are sent, where there is one.
MAIL = value("YUPLET_MAIL")
if MAIL is not None:
    EMAIL_HOST, EMAIL_PORT, EMAIL_TIMEOUT = MAIL.host, MAIL.port, 10
    EMAIL_HOST_USER, EMAIL_HOST_PASSWORD = MAIL.user, MAIL.password
    EMAIL_USE_SSL, EMAIL_USE_TLS = MAIL.is_tls_at_once, not MAIL.is_tls_at_once
    DEFAULT_FROM_EMAIL = value("YUPLET_MAIL_FROM")

LANGUAGE_CODE = "en"
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
WEB = ROOT / "web" / "dist"
WHITENOISE_ROOT = WEB if WEB.exists() else None
# The build puts a digest of what is in a file into its name: what was fetched once is good for ever.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/.+-[\w-]{8}\.\w+$"
WHITENOISE_ALLOW_ALL_ORIGINS = False

LOG, AUDIT_LOG = VAR / "logs" / "yuplet.jsonl", VAR / "logs" / "audit.jsonl"
# Days for which it is known who did what.
AUDIT_DAYS = value("YUPLET_AUDIT_DAYS")
LOG.parent.mkdir(exist_ok=True)
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "filters": {"of request": {"()": "yuplet_server.base.logs.OfRequest"}},
    "formatters": {
        "lines": {
            "()": "pythonjsonlogger.json.JsonFormatter",
            "fmt": "{asctime}{levelname}{name}{message}{request_number}{process}",
            "style": "{",
            "rename_fields": {"asctime": "at", "levelname": "level", "name": "of", "request_number": "request"},
        }
    },
    "handlers": {
        "console": {"class": "logging.StreamHandler", "filters": ["of request"]},
        # Begun anew by the worker when it is large (base/logs.py).
        "file": {
            "class": "logging.handlers.WatchedFileHandler",
            "filename": LOG,
            "delay": True,
            "filters": ["of request"],
            "formatter": "lines",
        },
        "audit": {
            "class": "logging.handlers.WatchedFileHandler",
            "filename": AUDIT_LOG,
            "delay": True,
            "filters": ["of request"],
            "formatter": "lines",
        },
    },
    "root": {"handlers": ["console", "file"], "level": "WARNING"},
    "loggers": {
        # What a visitor did wrong is answered; only what we did wrong is written down.
        "django.request": {"level": "ERROR"},
        "yuplet.audit": {"handlers": ["audit"], "level": "INFO", "propagate": False},
        "yuplet.requests": {"handlers": ["file"], "level": "INFO", "propagate": False},
    },
}
