"""Papers for customers: pages to print, PDF files, the label, a mail and a calendar file.

What writes PDF files and calendars is loaded when one is asked for: it takes a third of a second of every start.
"""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from rainfront.counter import messages
from rainfront.counter.models import Order
from rainfront.counter.papers import FORMS, Paper, bag_label, drop_off_paper, quote_paper, receipt_paper, report_paper
from rainfront.jobs.extensions import before_and_after
from rainfront.jobs.fetching import get_job, get_plain_job
from rainfront.jobs.models import Job, Quote
from rainfront.workshop.context import shop_of


def _paper(request: HttpRequest, job: Job, kind: str, pk: int | None) -> Paper:
    shop, now = shop_of(request), timezone.now()
    if kind == "report" and pk is None:
        overlay = next((panel.context["scene"] for panel in before_and_after(job)), None)
        return report_paper(job, shop, overlay, now)
    if kind == "drop-off" and pk is None:
        return drop_off_paper(job, shop, now, _address(request, job))
    if kind == "quote" and pk is not None:
        return quote_paper(get_object_or_404(Quote.objects.for_job(job.pk).select_related("job"), pk=pk), shop, now)
    order = Order.objects.of_job(job.pk)
    if kind == "receipt" and pk is None and order is not None:
        return receipt_paper(order, shop, now)
    raise Http404


def _address(request: HttpRequest, job: Job) -> str:
    """Where the code on a label leads."""
    return request.build_absolute_uri(job.get_absolute_url())


@require_GET
def page(request: HttpRequest, job: int, kind: str, pk: int | None = None) -> HttpResponse:
    """A paper as a page to print."""
    owner = get_job(job)
    paper = _paper(request, owner, kind, pk)
    name, args = ("counter:quote_pdf", [job, kind, pk]) if pk is not None else ("counter:pdf", [job, kind])
    context = {"paper": paper, "job": owner, "pdf": reverse(name, args=args)}
    return render(request, "counter/paper.html", context)


@require_GET
def pdf(request: HttpRequest, job: int, kind: str, pk: int | None = None) -> HttpResponse:
    """A paper as a PDF: `form` a4 or slip."""
    from rainfront.counter.pdf import paper_pdf

    form = request.GET.get("form", "a4")
    if form not in FORMS:
        raise Http404
    paper = _paper(request, get_job(job), kind, pk)
    return _file(paper_pdf(paper, form), "application/pdf", f"{paper.name}-{form}.pdf")


def _file(content: bytes, kind: str, name: str) -> HttpResponse:
    response = HttpResponse(content, content_type=kind)
    response["Content-Disposition"] = f'inline; filename="{name}"'
    return response


@require_GET
def label(request: HttpRequest, job: int) -> HttpResponse:
    """The label for the bag, with a code that leads to the job."""
    from rainfront.counter.pdf import label_pdf

    owner = get_plain_job(job)
    label_of = bag_label(owner, shop_of(request).region, _address(request, owner))
    return _file(label_pdf(label_of), "application/pdf", f"label-{job}.pdf")


@require_GET
def calendar(request: HttpRequest, job: int) -> HttpResponse:
    """The promised date as a calendar file."""
    owner = get_plain_job(job)
    if owner.promised_at is None:
        raise Http404
    return _file(messages.promised_calendar(owner, timezone.now()), "text/calendar", f"job-{job}.ics")


@require_GET
def mail(request: HttpRequest, job: int) -> HttpResponse:
    """That it is ready, as a mail file with the report; nothing is sent."""
    from rainfront.counter.pdf import paper_pdf

    owner, shop = get_job(job), shop_of(request)
    order = Order.objects.of_job(job)
    if order is None:
        raise Http404
    words = messages.ready_words(order, shop.region)
    report = paper_pdf(_paper(request, owner, "report", None))
    return _file(messages.ready_mail(order, words, report, timezone.now()), "message/rfc822", f"ready-{job}.eml")
