"""A job made of a case file."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from django.db import transaction

from chargepath.case.entries import Case
from chargepath.case.file import case_id
from chargepath.case.timeline import repaired_here
from rainfront.jobs.actions.take_in import create_job
from rainfront.jobs.adapters import fields_of
from rainfront.jobs.models import Entry, Job, Stage
from rainfront.jobs.signals import examples_changed
from rainfront.jobs.writing import open_job
from rainfront.people.models import User
from rainfront.people.rights import Right
from rainfront.web.secrets import refuse_unlock_code
from rainfront.workshop.adapters import Shop


def import_case(
    case: Case,
    *,
    model_name: str,
    customer: str,
    source: str,
    user: User,
    now: datetime,
    shop: Shop | None = None,
    teach: bool = True,
) -> Job:
    """Make a job of a case file; one with an outcome arrives closed and teaches, but a copy does not teach again.

    Whoever imports many at once learns once when all are in, and sets `teach` to False.
    """
    refuse_unlock_code(source, "name of the file")
    device, shop = case.device, shop or Shop.current()
    with transaction.atomic():
        made = create_job(
            {
                "model_name": model_name,
                "customer": customer,
                "kind": device.kind,
                "connector": device.connector,
                "carrier": device.carrier,
                "wireless": device.wireless,
                "traits": list(device.traits),
                "value": Decimal(str(round(device.value, 2))),
                "complaint": case.complaint or "Does not charge (imported case)",
                "limit": None if case.limit is None else Decimal(str(round(case.limit, 2))),
                "history": list(case.history),
                "wet_hours": case.wet_hours,
            },
            user,
            now,
            case_id=case_id(case, shop.known),
        )
        text = f"imported from {source}"
        if case.ignored:
            text += f"; without meaning here and left out: {', '.join(case.ignored)}"
        lines = [
            Entry(job=made, kind=Entry.EntryKind.EVENT, name="take_in", text="received", by=user, at=now),
            Entry(job=made, kind=Entry.EntryKind.EVENT, name="import", text=text[:2000], by=user, at=now),
        ]
        events = [Entry(job=made, by=user, at=now, **fields_of(event)) for event in case.events]
        Entry.objects.bulk_create([*lines, *events])
    last = case.events[-1] if case.events else None
    proving = last is not None and repaired_here(last) and last.works is not False
    with open_job(made, user, now, shop, right=Right.MEASURE) as log:
        if case.outcome:
            log.change(stage=Stage.CLOSED, closed_at=now, closed_by=user)
            log.change(outcome_faults=list(case.outcome.faults), outcome_works=case.outcome.works)
            Job.objects.teach_again(log.job.case_id)
        else:
            log.settle(Stage.PROVE if proving else "")
    if case.outcome and teach:
        examples_changed.send(sender=Job)
    return log.job
