"""What all settings share."""

from pathlib import Path
from typing import Any

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[2]
VAR = ROOT / "var"

DEBUG = False
ALLOWED_HOSTS: list[str] = []

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "whitenoise.runserver_nostatic",
    "django.contrib.staticfiles",
    "csp",
    "rainfront.web",
    "rainfront.people",
    "rainfront.practice",
    "rainfront.stock",
    "rainfront.jobs",
    "rainfront.instruments",
    "rainfront.reference",
    "rainfront.inside",
    "rainfront.counter",
    "rainfront.demo",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.auth.middleware.LoginRequiredMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "rainfront.web.middleware.DecimalMarkMiddleware",
    "rainfront.web.middleware.ClearErrorsMiddleware",
]

ROOT_URLCONF = "rainfront.urls"
WSGI_APPLICATION = "rainfront.wsgi.application"
AUTH_USER_MODEL = "people.User"
LOGIN_URL = "people:sign_in"
LOGIN_REDIRECT_URL = "jobs:list"
LOGOUT_REDIRECT_URL = "people:sign_in"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "builtins": ["rainfront.web.templatetags.shop"],
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "rainfront.people.context.workshop",
                "rainfront.web.context.top_menu",
            ],
        },
    }
]

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}"}
    for name in ("UserAttributeSimilarityValidator", "MinimumLengthValidator", "CommonPasswordValidator")
]


def sqlite(path: Path | str) -> dict[str, Any]:
    """One SQLite database in WAL mode whose writers queue instead of failing."""
    return {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": str(path),
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            # What is redacted is overwritten in the file too, not only set free.
            "init_command": (
                "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON; PRAGMA secure_delete=ON;"
            ),
        },
    }


LANGUAGE_CODE = "en-gb"
TIME_ZONE = "Europe/London"
USE_I18N = False
USE_TZ = True

MEDIA_ROOT = VAR / "media"
STATIC_URL = "static/"
STATIC_ROOT = ROOT / "staticfiles"

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": [SELF],
        "script-src": [SELF],
        "style-src": [SELF],
        "img-src": [SELF, "data:"],
        "font-src": [SELF],
        "connect-src": [SELF],
        "object-src": [NONE],
        "base-uri": [NONE],
        "form-action": [SELF],
        "frame-ancestors": [NONE],
    }
}

FILE_UPLOAD_HANDLERS = [
    "rainfront.web.uploads.CappedUploadHandler",
    "django.core.files.uploadhandler.MemoryFileUploadHandler",
    "django.core.files.uploadhandler.TemporaryFileUploadHandler",
]
DATA_UPLOAD_MAX_MEMORY_SIZE = 1_000_000
SESSION_COOKIE_HTTPONLY = True
SECURE_REFERRER_POLICY = "same-origin"
