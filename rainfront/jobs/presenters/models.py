"""What a known model is taken in with."""

from __future__ import annotations

from typing import Any

from rainfront.jobs.models import Job
from rainfront.web.words import counted

FILLED = ("model_name", "kind", "connector", "carrier", "wireless", "value", "traits")


def model_details(name: str) -> dict[str, Any]:
    """What the newest job of a model was taken in with, and how many there were; empty where there was none."""
    jobs = Job.objects.of_model(name) if name.strip() else Job.objects.none()
    newest = jobs.first()
    if newest is None:
        return {}
    said = jobs.exclude(traits=[]).first() or newest
    found = {field: getattr(newest, field) for field in FILLED}
    return {**found, "traits": said.traits, "jobs": counted(jobs.count(), "earlier job")}
