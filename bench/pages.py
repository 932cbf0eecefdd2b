"""The job page with five thousand jobs in the shop, against the empty error page of the same stack."""

from collections.abc import Iterator
from datetime import timedelta

from django.core.management import call_command
from django.test import Client
from django.utils import timezone

from bench.timing import milliseconds
from chargepath.repair import workplan
from rainfront.demo.play import load_demo
from rainfront.jobs import actions
from rainfront.jobs.adapters import device_of
from rainfront.jobs.models import Entry, Job
from rainfront.people.models import User
from rainfront.workshop.adapters import Shop

JOBS = 5000


def fill() -> Job:
    """The demo, copied until there are `JOBS` jobs with their logs; returns one with a long log."""
    call_command("migrate", verbosity=0)
    now = timezone.now()
    load_demo(now=now)
    user = User.objects.get(username="tech")
    patterns = [(job, list(job.entries.all())) for job in Job.objects.all()]
    for start in range(0, JOBS - len(patterns), 500):
        jobs: list[Job] = []
        for index in range(start, min(start + 500, JOBS - len(patterns))):
            copy = Job.objects.get(pk=patterns[index % len(patterns)][0].pk)
            copy.pk, copy.changed_at = None, now - timedelta(minutes=index)
            jobs.append(copy)
        made = Job.objects.bulk_create(jobs)
        entries = []
        for index, job in enumerate(made, start):
            for entry in patterns[index % len(patterns)][1]:
                copied = Entry(
                    **{field.attname: getattr(entry, field.attname) for field in Entry._meta.concrete_fields}
                )
                copied.pk, copied.job_id = None, job.pk
                entries.append(copied)
        Entry.objects.bulk_create(entries)
    lines = (
        "port lint",
        "i 0.0 5.0",
        "wiggle drops",
        "flip same",
        "did clean_port no",
        "inside clean",
        "vport 5.0",
        "vboard 0.4",
        "joint firm",
        "try swap_carrier no",
        "power OL",
        "lines 505/520",
    )
    fitting = Job.objects.on_bench().filter(connector="usb_c", carrier="sub_board")
    shown: Job = fitting.exclude(stage__in=("repair", "prove"))[0]
    for line in lines:
        actions.record_line(shown, line, user=user, now=now)
    return shown


def run() -> Iterator[str]:
    """Yield the lines of the table."""
    job = fill()
    client = Client()
    client.force_login(User.objects.get(username="tech"))
    nothing = milliseconds(lambda: client.get("/nothing-here/"), 20)
    client.get(job.get_absolute_url())
    page = milliseconds(lambda: client.get(job.get_absolute_url()), 20)
    listing = milliseconds(lambda: client.get("/"), 20)
    search = milliseconds(lambda: client.get("/?q=deck"), 20)
    actions.choose_route(job, "replace_port", "measured", user=User.objects.get(username="tech"), now=timezone.now())
    at = f"{job.get_absolute_url()}repair/"
    client.get(at)
    step = milliseconds(lambda: client.get(at), 20)
    proved = Job.objects.filter(order__handed_at__isnull=False).order_by("pk")[0].pk
    proving = Job.objects.filter(proofs__works__isnull=True).order_by("pk")[0].pk
    proof = milliseconds(lambda: client.get(f"/jobs/{proving}/prove/"), 20)
    report = milliseconds(lambda: client.get(f"/jobs/{proved}/papers/report.pdf"), 10)
    slip = milliseconds(lambda: client.get(f"/jobs/{proved}/papers/report.pdf?form=slip"), 10)
    device, known = device_of(job), Shop.current().known

    def plan() -> None:
        workplan._planned.cache_clear()
        workplan.make_plan(known, device, "replace_port")

    made = milliseconds(plan, 50)
    yield f"pages: {Job.objects.count()} jobs, {Entry.objects.count()} log lines, one core"
    ratio = f"{page / nothing:.0f} times the error page: {nothing:.1f} ms"
    yield f"  job page, 12 readings   {page:7.1f} ms   (target 150 ms; {ratio})"
    yield f"  a step of a plan        {step:7.1f} ms   (target 80 ms)"
    yield f"  the proof's page        {proof:7.1f} ms"
    yield f"  a report as PDF, a slip {report:7.1f} ms, {slip:.1f} ms   (target 1000 ms)"
    yield f"  a plan made afresh      {made:7.2f} ms   (target 20 ms)"
    yield f"  list of open jobs       {listing:7.1f} ms"
    yield f"  search in all jobs      {search:7.1f} ms"
