"""Tests through a browser: as the others, on a database file, where threads wait for each other as in a shop."""

from rainfront.settings.base import sqlite
from rainfront.settings.test import *  # noqa: F403
from rainfront.settings.test import VAR

WHITENOISE_AUTOREFRESH = False
_FILE = VAR / "tests" / "browser.sqlite3"
_FILE.parent.mkdir(parents=True, exist_ok=True)
DATABASES = {"default": {**sqlite(_FILE, "OFF"), "TEST": {"NAME": str(_FILE)}}}
