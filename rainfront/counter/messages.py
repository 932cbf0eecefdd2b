"""What a shop can send by itself: a mail and a calendar file. Nothing is sent from here."""

from __future__ import annotations

from datetime import datetime, timedelta
from email.message import EmailMessage
from email.utils import format_datetime

from django.utils.timezone import localtime

from rainfront.counter.models import Order
from rainfront.counter.papers import day, warranty_words
from rainfront.jobs.models import Job
from rainfront.people.models import Workshop
from rainfront.web.regional import Region
from rainfront.web.words import money

PICK_UP = timedelta(minutes=15)


def ready_words(order: Order, region: Region) -> str:
    """That a device is ready, in plain words."""
    job, shop = order.job, Workshop.current()
    lines = [f"{order.visit.name or 'Hello'},", "", f"your {job.model_name} (job {job.pk}) is ready to be collected."]
    if not job.outcome_works:
        lines.append("It could not be repaired here; we will tell you what we found.")
    if order.charged is not None:
        cost, left = (money(amount, region, cents=True) for amount in (order.charged, order.left))
        lines.append(f"It costs {cost}; still to pay {left}.")
    warranty = warranty_words(order)
    if warranty:
        lines.append(f"Warranty: {warranty}")
    hours = [line.strip() for line in shop.opening.splitlines() if line.strip()]
    if hours:
        lines.append(f"We are open {', '.join(hours)}.")
    return "\n".join([*lines, "", shop.name, *shop.address.splitlines()])


def ready_mail(order: Order, words: str, report: bytes, now: datetime) -> bytes:
    """A mail that says so, with the report, as a file that a mail program opens; nothing is sent."""
    made = EmailMessage()
    # A header is one line of characters that are seen: what a model is called may hold others.
    model = "".join(letter if letter.isprintable() else " " for letter in order.job.model_name)
    made["Subject"] = f"Your {' '.join(model.split())} is ready"
    made["Date"] = format_datetime(localtime(now))
    if order.visit.mail:
        made["To"] = order.visit.mail
    made["X-Unsent"] = "1"
    made.set_content(words)
    made.add_attachment(report, maintype="application", subtype="pdf", filename=f"report-{order.job_id}.pdf")
    return made.as_bytes()


def promised_calendar(job: Job, now: datetime) -> bytes:
    """The promised date as a calendar file (iCalendar, RFC 5545).

    Parameters
    ----------
    job : Job
        With a promised date.
    now : datetime

    """
    from icalendar import Calendar, Event

    assert job.promised_at is not None
    shop = Workshop.current()
    calendar, event = Calendar(), Event()
    calendar.add("prodid", "-//Rainfront//job//EN")
    calendar.add("version", "2.0")
    event.add("uid", f"{job.case_id}@rainfront")
    event.add("dtstamp", now)
    event.add("dtstart", localtime(job.promised_at))
    event.add("dtend", localtime(job.promised_at + PICK_UP))
    event.add("summary", f"Collect {job.model_name}, job {job.pk}")
    event.add("location", ", ".join([shop.name, *shop.address.splitlines()]))
    event.add("description", f"Received {day(job.taken_in_at)}.")
    calendar.add_component(event)
    found: bytes = calendar.to_ical()
    return found
