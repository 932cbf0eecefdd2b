"""The page of what goes in and out."""

from __future__ import annotations

from django.contrib import messages
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.exchange import actions, references
from rainfront.exchange.shape import ArchiveError
from rainfront.exchange.tables import TABLES, as_csv, as_json
from rainfront.exchange.tasks import write_archive
from rainfront.jobs.models import Job
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts, require
from rainfront.stock.models import Item
from rainfront.web.later import soon
from rainfront.web.uploads import takes
from rainfront.web.working import working_folder
from rainfront.workshop.context import shop_of

KINDS = {"csv": (as_csv, "text/csv; charset=utf-8"), "json": (as_json, "application/json")}
MOST_BYTES = 500_000_000
# How many steps of another shop that were left out are named.
LEFT_SHOWN = 10


@posts(Right.KEEP)
def exchange(request: HttpRequest) -> HttpResponse:
    """Everything as tables, the whole shop as an archive; an archive is asked for here."""
    user = signed_in(request)
    require(user, Right.KEEP)
    if request.method == "POST":
        if request.POST.get("what") == "remove":
            actions.remove_archive(user=user, now=timezone.now())
            messages.success(request, "The archive is removed.")
        else:
            actions.want_archive(user=user, now=timezone.now())
            soon(write_archive)
        return redirect("exchange:exchange")
    return _page(request)


def _page(request: HttpRequest, error: str = "", status: int = 200) -> HttpResponse:
    context = {
        "tables": [(name, table) for name, table in TABLES.items()],
        "made": actions.made_archive(),
        "wanted": actions.is_wanted(),
        "empty": not (Job.objects.exists() or Item.objects.exists()),
        "error": error,
    }
    return render(request, "exchange/exchange.html", context, status=status)


@require_GET
def archive(request: HttpRequest) -> FileResponse | HttpResponse:
    """The archive that lies ready."""
    require(signed_in(request), Right.KEEP)
    made = actions.made_archive()
    if made is None:
        messages.warning(request, "No archive lies ready: make one first.")
        return redirect("exchange:exchange")
    return FileResponse(made.path.open("rb"), as_attachment=True, filename=f"shop-{made.at:%Y-%m-%d}.zip")


@takes(MOST_BYTES)
@require_POST
@posts(Right.KEEP)
def bring_in(request: HttpRequest) -> HttpResponse:
    """Read a shop's archive into an installation without jobs; everybody signs in anew."""
    if getattr(request, "upload_too_large", False):
        return _page(request, f"the file is too large; up to {MOST_BYTES / 1e6:.0f} MB", 413)
    sent = request.FILES.get("file")
    with working_folder(actions.folder(), "reading") as made:
        path = made / "shop.zip"
        if sent is not None:
            with path.open("wb") as target:
                for piece in sent.chunks():
                    target.write(piece)
        try:
            counts = actions.import_shop(path, user=signed_in(request), now=timezone.now())
        except ChargepathError as error:
            return _page(request, str(error), 422)
    request.session.flush()
    messages.success(request, f"{counts['jobs.job']} jobs are here now. Sign in again; the others get a link from you.")
    return redirect("people:sign_in")


@require_GET
def take_out(request: HttpRequest, table: str, kind: str) -> StreamingHttpResponse:
    """One table as CSV or JSON."""
    require(signed_in(request), Right.KEEP)
    if table not in TABLES or kind not in KINDS:
        raise Http404
    write, content = KINDS[kind]
    response = StreamingHttpResponse(write(TABLES[table], shop_of(request)), content_type=content)
    response["Content-Disposition"] = f'attachment; filename="{table}.{kind}"'
    return response


@require_GET
def references_out(request: HttpRequest) -> StreamingHttpResponse:
    """References for another shop."""
    require(signed_in(request), Right.TEACH)
    response = StreamingHttpResponse(references.write_references(), content_type="application/json")
    response["Content-Disposition"] = 'attachment; filename="references.json"'
    return response


@takes(references.MOST_BYTES)
@posts(Right.TEACH)
def references_in(request: HttpRequest) -> HttpResponse:
    """References of another shop."""
    error = ""
    if request.method == "POST":
        sent = request.FILES.get("file")
        try:
            if getattr(request, "upload_too_large", False) or sent is None:
                size = f"up to {references.MOST_BYTES / 1e6:.0f} MB"
                raise ArchiveError("no file came with it", "file", f"the other shop's file, {size}")
            done, left = references.merge_references(
                shop_of(request), sent.read(), user=signed_in(request), now=timezone.now()
            )
        except ChargepathError as problem:
            error = str(problem)
        else:
            new = ", ".join(f"{count} {what}" for what, count in done.items())
            messages.success(request, f"Received: {new}." if any(done.values()) else "All of it was here already.")
            for why in left[:LEFT_SHOWN]:
                messages.warning(request, f"A step was left out. {why}")
            return redirect("exchange:references")
    return render(request, "exchange/references.html", {"error": error}, status=422 if error else 200)
