"""Tests: in memory, fast password hashes."""

from rainfront.settings.base import *  # noqa: F403
from rainfront.settings.base import VAR

TEST_RUNNER = "tests.runner.Runner"
SECRET_KEY = "for-tests-only"
ALLOWED_HOSTS = ["testserver", "localhost", "127.0.0.1"]
# Threads of the live server share one in-memory database: readers may not wait for a writer there.
UNBLOCKED = "PRAGMA read_uncommitted=1;"
DATABASES = {
    "default": {"ENGINE": "django.db.backends.sqlite3", "NAME": ":memory:", "OPTIONS": {"init_command": UNBLOCKED}}
}
# What nobody waits for is done where it is asked for.
KEEP_UP = False
TASKS = {"default": {"BACKEND": "rainfront.web.later.AtOnce"}}
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = {
    "default": {"BACKEND": "rainfront.web.files.TestStorage"},
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
# Never what `make demo` gathered: an old copy there would stand before the file that is tested.
STATIC_ROOT = VAR / "static-of-tests"
STATIC_ROOT.mkdir(parents=True, exist_ok=True)
WHITENOISE_USE_FINDERS = True
# Looked for when they are asked for: a client of each test would else go through all of them first.
WHITENOISE_AUTOREFRESH = True
DEMO = True
# No watch answers here; a test that needs one starts its own (`tests.watched`).
WATCH_FOLDER = VAR / "watch-of-tests"
# Only defects are printed. A test that provokes an error on purpose asserts on it with `assertLogs`.
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "loggers": {
        "rainfront": {"handlers": ["console"], "level": "ERROR", "propagate": False},
        "django": {"handlers": [], "level": "CRITICAL", "propagate": False},
        "axes": {"handlers": [], "level": "CRITICAL", "propagate": False},
    },
}
