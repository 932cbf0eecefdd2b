"""Sessions in the database; where the disk is full or read-only, reading goes on without noting who was seen when."""

from __future__ import annotations

import logging

from django.contrib.sessions.backends.db import SessionStore as DatabaseSessions
from django.db import OperationalError

LOG = logging.getLogger("rainfront.people")


class SessionStore(DatabaseSessions):
    """The same, but for a disk that takes nothing."""

    def save(self, must_create: bool = False) -> None:
        """Store it; a session that is there already goes on as it was where nothing can be stored."""
        try:
            super().save(must_create)
        except OperationalError:
            if must_create or not self.exists(str(self.session_key)):
                raise
            LOG.exception("a session could not be stored")
