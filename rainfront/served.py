"""How gunicorn serves the program: its settings, and what each worker does beside answering."""

from __future__ import annotations

from typing import Any

wsgi_app = "rainfront.wsgi"
preload_app = True
workers, threads = 2, 8
timeout, graceful_timeout = 60, 20
max_requests, max_requests_jitter = 5000, 500


def post_fork(server: Any, worker: Any) -> None:
    """Tend the cells on the supply from this worker, for as long as it lives."""
    from rainfront.cell import tending

    tending.begin()
