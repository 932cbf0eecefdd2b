"""What happens when somebody signs in."""

from __future__ import annotations

import time
from typing import Any

from django.contrib.auth.signals import user_logged_in
from django.dispatch import receiver
from django.http import HttpRequest

from rainfront.people.middleware import IDLE_S, SEEN, SINCE
from rainfront.people.models import Workshop
from rainfront.web.once import forget_sent


@receiver(user_logged_in)
def begin_session(request: HttpRequest, **signal: Any) -> None:
    """From now on it counts how long nothing was done."""
    request.session[SEEN] = request.session[SINCE] = time.time()
    forget_sent()
    request.session[IDLE_S] = Workshop.current().idle_minutes * 60.0
