"""What all settings share."""

import os
from datetime import timedelta
from pathlib import Path
from typing import Any

from csp.constants import NONE, SELF

ROOT = Path(__file__).resolve().parents[2]
VAR = ROOT / "var"
# Where the compiled ratio rule is kept between starts.
COMPILED = os.environ.get("NUMBA_CACHE_DIR", "")
os.environ.setdefault("NUMBA_CACHE_DIR", str(VAR / "compiled"))

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
    "axes",
    "django_otp",
    "django_otp.plugins.otp_totp",
    "django_otp.plugins.otp_static",
    "django_tasks",
    "django_tasks_db",
    "rainfront.web",
    "rainfront.people",
    "rainfront.workshop",
    "rainfront.stock",
    "rainfront.jobs",
    "rainfront.work",
    "rainfront.learning",
    "rainfront.proof",
    "rainfront.instruments",
    "rainfront.reference",
    "rainfront.heat",
    "rainfront.cell",
    "rainfront.inside",
    "rainfront.board",
    "rainfront.counter",
    # Before the logbook: the worker reckons the list of the day before it writes hundreds of pages.
    "rainfront.day",
    "rainfront.logbook",
    "rainfront.insights",
    "rainfront.exchange",
    "rainfront.keeping",
    "rainfront.demo",
]

MIDDLEWARE = [
    "rainfront.web.middleware.JournalMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "rainfront.web.middleware.HeadersMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "csp.middleware.CSPMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "rainfront.people.middleware.IdleMiddleware",
    "rainfront.people.middleware.SignedInMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "rainfront.web.once.OnceMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "rainfront.web.middleware.DecimalMarkMiddleware",
    "rainfront.web.middleware.ClearErrorsMiddleware",
    "axes.middleware.AxesMiddleware",
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]

ROOT_URLCONF = "rainfront.urls"
WSGI_APPLICATION = "rainfront.wsgi.application"
CSRF_FAILURE_VIEW = "rainfront.web.errors.stale"
AUTH_USER_MODEL = "people.User"
LOGIN_URL = "people:sign_in"
LOGIN_REDIRECT_URL = "day:list"
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
                "rainfront.people.context.rights",
                "rainfront.web.context.top_menu",
                "rainfront.web.context.page_guide",
                "rainfront.cell.context.supply_alarms",
            ],
        },
    }
]

_VALIDATORS = "django.contrib.auth.password_validation"
AUTH_PASSWORD_VALIDATORS: list[dict[str, Any]] = [
    {
        "NAME": f"{_VALIDATORS}.UserAttributeSimilarityValidator",
        "OPTIONS": {"user_attributes": ("username", "initials")},
    },
    {"NAME": f"{_VALIDATORS}.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": f"{_VALIDATORS}.CommonPasswordValidator"},
    {"NAME": f"{_VALIDATORS}.NumericPasswordValidator"},
]
PASSWORD_RESET_TIMEOUT = 86_400
# Guessing: after so many wrong ones for a name from an address nothing is answered for a while (`people.throttle`).
AXES_HANDLER = "rainfront.people.throttle.Counts"
AXES_FAILURE_LIMIT = 10
AXES_COOLOFF_TIME = timedelta(minutes=10)
# Who signs in gets the count of that name from there back, and of no other.
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_RESET_ON_SUCCESS = True
AXES_RESET_COOL_OFF_ON_FAILURE_DURING_LOCKOUT = False
AXES_LOCKOUT_CALLABLE = "rainfront.people.throttle.locked_out"
AXES_CLIENT_IP_CALLABLE = "rainfront.people.throttle.address_of"
AXES_DISABLE_ACCESS_LOG = True
AXES_VERBOSE = False
BEHIND_PROXY = False
# A working day at most [s]; the owner says after how many idle minutes.
SESSION_COOKIE_AGE = 14 * 3600
OTP_TOTP_ISSUER = "Rainfront"


def sqlite(path: Path | str, synchronous: str = "NORMAL") -> dict[str, Any]:
    """One SQLite database in WAL mode whose writers queue instead of failing.

    `synchronous`: NORMAL keeps every answered write through a kill, FULL through a loss of power too.
    """
    return {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": str(path),
        # A connection and what it has read already are kept by the thread that serves: a new one each time costs 5 %.
        "CONN_MAX_AGE": 60,
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            # What is redacted is overwritten in the file too, not only set free.
            "init_command": (
                f"PRAGMA journal_mode=WAL; PRAGMA synchronous={synchronous}; PRAGMA foreign_keys=ON;"
                "PRAGMA secure_delete=ON;"
            ),
        },
    }


# Whether what is kept beside jobs (the list of the day, the logbook) follows each change of them by itself.
KEEP_UP = True
TASKS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "Europe/London"
USE_I18N = False
USE_TZ = True

MEDIA_ROOT, BACKUPS = VAR / "media", VAR / "backups"
# Photos and records are read by nobody else on the machine.
FILE_UPLOAD_PERMISSIONS, FILE_UPLOAD_DIRECTORY_PERMISSIONS = 0o600, 0o700
# Where the watch over the bench supply has its socket and its notes.
WATCH_FOLDER = Path(os.environ.get("RAINFRONT_WATCH") or VAR / "watch")
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
SESSION_ENGINE = "rainfront.people.sessions"
SESSION_COOKIE_HTTPONLY = True
CSRF_COOKIE_HTTPONLY = True
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CROSS_ORIGIN_OPENER_POLICY = "same-origin"
