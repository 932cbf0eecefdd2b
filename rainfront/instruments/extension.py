"""What records and routines add to a job's pages."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

from django.conf import settings
from django.db.models import Exists, OuterRef, Prefetch, Subquery
from django.urls import reverse

from chargepath.base.errors import ReadingError
from chargepath.case.quickline import Completion
from chargepath.decision.queue import Wait
from chargepath.knowledge import Check
from chargepath.knowledge.proofs import ProofItem
from rainfront.instruments import asking, presenters, proving
from rainfront.instruments.models import BenchInstrument, KnownGood, Record, Waiting
from rainfront.instruments.presenters_bench import lines_read
from rainfront.jobs.extensions import Extension, Link, Panel
from rainfront.jobs.models import Job, Stage
from rainfront.proof.proving import proving_of
from rainfront.workshop.adapters import Shop


class Instruments(Extension):
    """Records that are running, the page of everything measured from outside, guided routines."""

    def lookups(self, job: Job) -> Sequence[Any]:
        """Records that samples still come into."""
        wanted = Prefetch("records", Record.objects.running(), to_attr="running_records")
        return (wanted,) if getattr(job, "has_running_record", True) else ()

    def annotations(self) -> Mapping[str, Any]:
        """What a good one of the job's model draws [A], the newest measured here."""
        good = KnownGood.objects.filter(model_name__iexact=OuterRef("model_name")).order_by("-pk")
        running = Exists(Record.objects.running().filter(job=OuterRef("pk")))
        own = {"known_good_a": Subquery(good.values("amps")[:1]), "has_running_record": running}
        return {**own, **self.list_annotations()}

    def list_annotations(self) -> Mapping[str, Any]:
        """When the job's device was left on charge, where it still is."""
        waiting = Waiting.objects.filter(job=OuterRef("pk"), ended_at__isnull=True).order_by("-pk")
        return {"on_charge_since": Subquery(waiting.values("started_at")[:1])}

    def wait(self, job: Job, shop: Shop, now: datetime) -> Wait | None:
        """How long the device has been on charge, and until when."""
        wait = presenters.wait_of(job, shop.known, now)
        return Wait("charge", wait["since"], wait["due"]) if wait else None

    def texts(self, job: Job) -> Sequence[str]:
        """Names of records."""
        return [f"record: {name}" for name in Record.objects.filter(job=job).values_list("name", flat=True) if name]

    def pages(self, job: Job) -> Mapping[str, Link]:
        """Everything measured from outside."""
        return {Stage.OUTSIDE: Link("Outside", reverse("instruments:outside", args=[job.pk]))}

    def panels(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """Records that samples still come into, and the timer of a device that was left on charge."""
        running: list[Record] = getattr(job, "running_records", [])
        panels = [Panel("instruments/_running.html", {"record": record}) for record in running]
        wait = presenters.wait_of(job, shop.known, now)
        return [*panels, Panel("instruments/_waiting.html", wait)] if wait else panels

    def card(self, job: Job, shop: Shop, now: datetime) -> Sequence[Panel]:
        """What good ones of the model draw."""
        rows = list(KnownGood.objects.filter(model_name__iexact=job.model_name).select_related("by")[:3])
        return [Panel("instruments/_card.html", {"rows": rows})]

    def proof_panels(self, job: Job, item: ProofItem, shop: Shop) -> Sequence[Panel]:
        """The live meter, where it can see the item or its reading can be taken off it."""
        record = proving.running_for(job.pk)
        if record is None and item.id not in proving.TAKEN and not item.watch:
            return ()
        greeting = asking.greeting(asking.power_meter()) if record and settings.DEMO else {}
        panels = [Panel("instruments/_proof_meter.html", presenters.proof_meter(record, item.id, None))]
        hands = presenters.Hands.of(record, greeting, shop.known) if record else None
        return [*panels, Panel("instruments/_hands.html", hands, below=True)] if hands else panels

    def proof_values(self, job: Job, item: ProofItem, shop: Shop) -> Mapping[str, float]:
        """The charge that has flowed since the percent was read, where the meter runs."""
        record = proving.running_for(job.pk) if item.watch == "gain" else None
        flowed = proving.flowed_since(record, proving_of(job, shop)) if record else None
        return {} if flowed is None else {"charge_mah": flowed}

    def proof_decided(self, job: Job, hand: Mapping[str, Any]) -> None:
        """The record that ran for the proof is kept."""
        proving.end_record(job, **hand)

    def before_and_after(self, job: Job) -> Sequence[Panel]:
        """The current before the repair, and at the proof."""
        scene = presenters.before_and_after(job)
        return (Panel("instruments/_before_after.html", {"scene": scene}),) if scene else ()

    def read_now(self, check: Check, word: str) -> Sequence[Completion]:
        """The check's line with what the instruments of the bench read."""
        found = BenchInstrument.objects.read() if check.values else []
        if not found:
            return ()
        try:
            return lines_read(check, word, found, asking.bench_now())
        except ReadingError:
            return ()

    def tools(self, job: Job, check: Check, shop: Shop) -> Sequence[Link]:
        """The guided routine that gives the check."""
        return [
            Link("Guided", reverse("instruments:routine", args=[job.pk, routine.id]))
            for routine in shop.known.routines.values()
            if routine.check == check.id and routine.steps
        ][:1]
