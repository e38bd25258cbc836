"""Django settings. What differs between places comes from environment variables, named KALYPTRA_*."""

from __future__ import annotations

import os
from pathlib import Path

import dj_database_url
from csp.constants import SELF

ROOT = Path(__file__).resolve().parents[2]
DATA = Path(os.environ.get("KALYPTRA_DATA") or ROOT / ".local")

SECRET_KEY = os.environ.get("KALYPTRA_SECRET_KEY", "")
DEBUG = os.environ.get("KALYPTRA_DEBUG") == "1"
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]", *filter(None, os.environ.get("KALYPTRA_HOSTS", "").split(","))]

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "django.contrib.humanize",
    "axes",
    "csp",
    "procrastinate.contrib.django",
    "kalyptra.design",
    "kalyptra.library",
    "kalyptra.bench",
    "kalyptra.work",
]

MIDDLEWARE = [
    "kalyptra.config.errors.api_answers",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "axes.middleware.AxesMiddleware",
]

ROOT_URLCONF = "kalyptra.config.urls"
WSGI_APPLICATION = "kalyptra.config.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "kalyptra.design.theme.theme",
            ],
            "builtins": [
                "kalyptra.design.templatetags.components",
                "kalyptra.bench.templatetags.numbers",
                "kalyptra.bench.templatetags.parts",
            ],
        },
    }
]

DATABASES = {
    "default": dj_database_url.parse(
        os.environ.get("KALYPTRA_DATABASE_URL", "postgresql://kalyptra@127.0.0.1/kalyptra"), conn_max_age=60
    )
}
DATABASES["default"]["CONN_HEALTH_CHECKS"] = True
DATABASES["default"]["TEST"] = {"NAME": os.environ.get("KALYPTRA_TEST_DATABASE")}
DATABASES["default"]["OPTIONS"] = {"connect_timeout": 5}
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

# Accounts
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "sign-in"
LOGIN_REDIRECT_URL = "projects"
LOGOUT_REDIRECT_URL = "sign-in"
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]  # both: a stranger elsewhere must not lock the right person out
AXES_LOCKOUT_TEMPLATE = "library/locked.html"
AXES_CLIENT_IP_CALLABLE = "kalyptra.config.proxies.client_address"
PROXIES = int(os.environ.get("KALYPTRA_PROXIES", "0"))
"""How many proxies of our own stand before the server; each adds the address it was asked from to X-Forwarded-For."""
CSRF_FAILURE_VIEW = "kalyptra.config.errors.csrf_failure"
DEMO_ENTRY = os.environ.get("KALYPTRA_DEMO_ENTRY", "1") == "1"
"""Whether the token that the start command prints enters the demo."""
ENTRY = DATA / "entry"
DEMO_USER = "demo-editor"

# Files: any Django storage will do, so that several machines can share one.
STORAGES = {
    "default": {
        "BACKEND": os.environ.get("KALYPTRA_STORAGE", "django.core.files.storage.FileSystemStorage"),
        "OPTIONS": {} if "KALYPTRA_STORAGE" in os.environ else {"location": str(DATA / "media")},
    },
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
STATIC_URL = "/static/"
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 60
FILE_UPLOAD_HANDLERS = ["kalyptra.library.uploads.BoundedUploadHandler"]
FILE_UPLOAD_TEMP_DIR = DATA / "uploads"
FILE_UPLOAD_TEMP_DIR.mkdir(parents=True, exist_ok=True)
UPLOAD_LIMIT = int(os.environ.get("KALYPTRA_UPLOAD_LIMIT", 20 << 30))
"""Bytes that one file of footage may have."""
DATA_UPLOAD_MAX_MEMORY_SIZE = 32 << 20
RESERVE = int(os.environ.get("KALYPTRA_RESERVE", 2 << 30))
"""Bytes of the disk that are kept free: below it uploads, renders and the cache of frames stop, saves last of all."""

# Rendered frames that are kept for the viewer. Safe to delete at any time.
FRAME_CACHE = DATA / "cache" / "frames"
FRAME_CACHE_LIMIT = int(os.environ.get("KALYPTRA_FRAME_CACHE_LIMIT", 4 << 30))
LOCAL_COPIES = DATA / "cache" / "copies"
LOCAL_COPIES_LIMIT = int(os.environ.get("KALYPTRA_COPIES_LIMIT", 40 << 30))
"""Bytes of copies from a storage elsewhere."""

# Mattes and plates that setups name. Not a cache: what a setup names is kept.
KEPT = DATA / "media" / "kept"
KEPT_LIMIT = int(os.environ.get("KALYPTRA_STORE_LIMIT", 40 << 30))
"""Bytes; at the limit new mattes and plates are refused, and nothing is lost."""

# Workers
PROCRASTINATE_IMPORT_PATHS = ["kalyptra.work.tasks"]
WORKER_HEARTBEAT = 3
WORKER_STALLED_AFTER = 12
"""Seconds without a heartbeat after which a worker counts as dead and its jobs are taken up again."""

# Security
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "blob:", "data:"],
        "media-src": [SELF, "blob:"],
        "connect-src": [SELF],
        "object-src": ["'none'"],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
        "form-action": [SELF],
    }
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = CSRF_COOKIE_SAMESITE = "Lax"
if os.environ.get("KALYPTRA_HTTPS") == "1":
    SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = True
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    SECURE_HSTS_SECONDS = 31536000
    CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS[3:]]

TEST_RUNNER = "kalyptra.config.runner.Runner"

LANGUAGE_CODE = "en"
USE_TZ = True
TIME_ZONE = os.environ.get("KALYPTRA_TIME_ZONE", "UTC")
USE_THOUSAND_SEPARATOR = False

LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"line": {"format": "%(asctime)s %(levelname)s %(name)s: %(message)s"}},
    "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "line"}},
    "root": {"handlers": ["console"], "level": "INFO"},
    "loggers": {"procrastinate": {"level": "WARNING"}, "axes": {"level": "WARNING"}},
}
