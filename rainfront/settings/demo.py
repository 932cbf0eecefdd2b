"""The demo: one machine, no network, its own database under var/."""

import os
from pathlib import Path

from rainfront.settings.base import *  # noqa: F403
from rainfront.settings.base import VAR, sqlite

SECRET_KEY = "demo-only-not-a-secret-this-machine-shows-invented-jobs-and-nothing-else"
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]"]
DATABASES = {"default": sqlite(os.environ.get("RAINFRONT_DEMO_DATABASE", VAR / "demo.sqlite3"))}
# The start script gathers static files by content hash; anything else finds them where they lie.
HASHED = os.environ.get("RAINFRONT_HASHED") == "yes"
PLAIN = "django.contrib.staticfiles.storage.StaticFilesStorage"
STORAGES = {
    "default": {"BACKEND": "rainfront.web.files.KeptStorage"},
    "staticfiles": {"BACKEND": "rainfront.web.storage.HashedStorage" if HASHED else PLAIN},
}
WHITENOISE_USE_FINDERS = not HASHED
DEMO = True
MEDIA_ROOT = Path(DATABASES["default"]["NAME"]).parent / "media"
WATCH_FOLDER = Path(os.environ.get("RAINFRONT_WATCH") or Path(DATABASES["default"]["NAME"]).parent / "watch")
BACKUPS = Path(DATABASES["default"]["NAME"]).parent / "backups"
STATIC_ROOT = VAR / "static"
STATIC_ROOT.mkdir(parents=True, exist_ok=True)
