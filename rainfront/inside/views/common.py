"""What the inside views share."""

from __future__ import annotations

from django.shortcuts import get_object_or_404

from rainfront.inside.models import Sheet


def get_sheet(job: int, pk: int) -> Sheet:
    """One sheet of a job with its points, or 404."""
    sheet: Sheet = get_object_or_404(Sheet.objects.whole(), pk=pk, job_id=job)
    return sheet
