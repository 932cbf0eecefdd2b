"""What probing inside adds to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.db.models import Exists, OuterRef, Prefetch
from django.urls import reverse

from chargepath.knowledge import Check
from chargepath.knowledge.procedures import WorkStep
from chargepath.repair.workplan import Plan
from rainfront.inside.models import Photo
from rainfront.jobs.extensions import Attachment, Extension, Link, Panel
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.reference.models import GoodReading
from rainfront.workshop.adapters import Shop

# The page of each tool that a check is measured with (checks.toml), and what the link says.
PAGES = {
    "sheet": ("inside:inside", "Probe sheet"),
    "ladder": ("inside:ladder", "Ladder"),
    "supply": ("inside:supply", "Supply"),
    "sense": ("inside:sense", "Battery lines"),
}


class Inside(Extension):
    """Photos on log lines, the page of everything measured inside, the pages of its tools."""

    def annotations(self) -> Mapping[str, Any]:
        """Whether there are photos of the job that stand."""
        return {"has_photos": Exists(Photo.objects.standing().filter(job=OuterRef("pk")))}

    def lookups(self, job: Job) -> Sequence[Any]:
        """Photos that stand."""
        wanted = Prefetch("photos", Photo.objects.standing(), to_attr="standing_photos")
        return (wanted,) if getattr(job, "has_photos", True) else ()

    def texts(self, job: Job) -> Sequence[str]:
        """Captions of photos, and what their marks say."""
        photos = Photo.objects.standing().filter(job=job).prefetch_related("marks")
        rows = [(photo.caption, [mark.text for mark in photo.marks.all() if not mark.removed_at]) for photo in photos]
        return [f"photo: {', '.join(filter(None, (caption, *marks)))}" for caption, marks in rows]

    def pages(self, job: Job) -> Mapping[str, Link]:
        """Everything measured inside."""
        return {Stage.INSIDE: Link("Inside", reverse("inside:inside", args=[job.pk]))}

    def attachments(self, job: Job) -> Mapping[int, Sequence[Attachment]]:
        """Photos, by the observation that they hang on."""
        out: dict[int, list[Attachment]] = {}
        photos: list[Photo] = getattr(job, "standing_photos", [])
        for photo in photos:
            if photo.entry_id is not None:
                picture = reverse("inside:file", args=[job.pk, photo.pk])
                out.setdefault(photo.entry_id, []).append(Attachment(photo.caption, photo.get_absolute_url(), picture))
        return out

    def card(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """Photos of the model's boards, and how many known-good readings are kept."""
        name = job.model_name
        context = {
            "photos": list(Photo.objects.of_model(name)[:6]),
            "readings": GoodReading.objects.standing().filter(model_name__iexact=name).count(),
        }
        return [Panel("inside/_card.html", context)]

    def step_panels(self, job: Job, step: WorkStep, plan: Plan, shop: Shop) -> Sequence[Panel]:
        """A photo of the step, from a file or straight from a camera; those of this step so far."""
        caption = step.do[:120]
        photos: list[Photo] = getattr(job, "standing_photos", [])
        context = {"job": job, "caption": caption, "photos": [photo for photo in photos if photo.caption == caption]}
        return [Panel("inside/_step_photo.html", context)]

    def entry_links(self, job: Job, entry: Entry) -> Sequence[Link]:
        """A photo of the observation."""
        return (Link("photo", f"{reverse('inside:inside', args=[job.pk])}?entry={entry.pk}#photos", "Photo of"),)

    def tools(self, job: Job, check: Check, shop: Shop) -> Sequence[Link]:
        """The page of the tool that the check is measured with."""
        if check.tool not in PAGES:
            return ()
        page, label = PAGES[check.tool]
        return (Link(label, reverse(page, args=[job.pk])),)
