"""Production: everything secret or local comes from the environment, and nothing starts without it."""

import os
from pathlib import Path

from django.core.exceptions import ImproperlyConfigured

from rainfront.settings.base import *  # noqa: F403
from rainfront.settings.base import COMPILED, sqlite

LEAST_KEY, LEAST_LETTERS = 50, 12
NAMES = {
    "RAINFRONT_SECRET_KEY": "a long random text of at least 50 characters",
    "RAINFRONT_ALLOWED_HOSTS": "the host names it is served under, separated by commas",
    "RAINFRONT_DATABASE": "the path of the SQLite database file",
}
missing = [f"{name} ({meaning})" for name, meaning in NAMES.items() if not os.environ.get(name, "").strip()]
if missing:
    raise ImproperlyConfigured("Set these in the environment first: " + "; ".join(missing))

SECRET_KEY = os.environ["RAINFRONT_SECRET_KEY"]
if len(SECRET_KEY) < LEAST_KEY or len(set(SECRET_KEY)) < LEAST_LETTERS:
    raise ImproperlyConfigured(
        f"RAINFRONT_SECRET_KEY is too weak: {LEAST_KEY} characters or more, {LEAST_LETTERS} different ones, at random; "
        "python3 -c 'import secrets; print(secrets.token_urlsafe(50))' makes one"
    )
ALLOWED_HOSTS = [host.strip() for host in os.environ["RAINFRONT_ALLOWED_HOSTS"].split(",") if host.strip()]
CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS]
SYNCHRONOUS = os.environ.get("RAINFRONT_SYNCHRONOUS", "").upper() or "NORMAL"
if SYNCHRONOUS not in ("NORMAL", "FULL"):
    raise ImproperlyConfigured("RAINFRONT_SYNCHRONOUS is NORMAL or FULL")
DATABASES = {"default": sqlite(os.environ["RAINFRONT_DATABASE"], SYNCHRONOUS)}
STORAGES = {
    "default": {"BACKEND": "rainfront.web.files.KeptStorage"},
    "staticfiles": {"BACKEND": "rainfront.web.storage.HashedStorage"},
}
PLACE = Path(os.environ["RAINFRONT_DATABASE"]).resolve().parent
os.environ["NUMBA_CACHE_DIR"] = COMPILED or str(PLACE / "compiled")
MEDIA_ROOT = PLACE / "media"
WATCH_FOLDER = Path(os.environ.get("RAINFRONT_WATCH") or PLACE / "watch")
BACKUPS = Path(os.environ.get("RAINFRONT_BACKUPS") or PLACE / "backups")
TIME_ZONE = os.environ.get("RAINFRONT_TIME_ZONE") or TIME_ZONE
os.umask(0o077)  # What the program writes is read by nobody else on the machine.
DEMO = False
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {"lines": {"()": "rainfront.web.journal.Lines"}},
    "handlers": {"out": {"class": "logging.StreamHandler", "stream": "ext://sys.stdout", "formatter": "lines"}},
    "root": {"handlers": ["out"], "level": "WARNING"},
    "loggers": {
        "rainfront": {"handlers": ["out"], "level": "INFO", "propagate": False},
        "django.request": {"handlers": [], "level": "CRITICAL", "propagate": False},  # The journal says it.
    },
}
BEHIND_PROXY = True
SECURE_SSL_REDIRECT = True
SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
SECURE_HSTS_SECONDS = 31_536_000
SECURE_HSTS_INCLUDE_SUBDOMAINS = True
SECURE_HSTS_PRELOAD = True
SESSION_COOKIE_SECURE = True
CSRF_COOKIE_SECURE = True
