"""The shelf."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError, ReadingError
from chargepath.decision.shelf import USE_DAYS
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, posts
from rainfront.stock import actions, presenters
from rainfront.stock.forms import BinForm, DonorForm, FileForm, ItemForm, PartsInForm, item_initial
from rainfront.stock.models import Donor, Item, Move
from rainfront.stock.table import read_table, write_table
from rainfront.web.forms import refused
from rainfront.web.words import counted
from rainfront.workshop.context import shop_of

SHOWN_MOVES = 30
MOST_BYTES = 1_000_000


@posts(Right.PARTS)
def shelf(request: HttpRequest) -> HttpResponse:
    """What lies there, what to order, what came and went; parts are taken in here."""
    shop, now = shop_of(request), timezone.now()
    form = PartsInForm(shop.known, request.POST if request.method == "POST" else None)
    if form.is_bound and form.is_valid():
        data = form.cleaned_data
        try:
            actions.take_in(
                shop.known,
                data["route"],
                data["family"],
                data["count"],
                data["price"],
                connector=data["connector"],
                why=data["why"] or Move.Why.IN,
                donor=data.get("donor"),
                user=signed_in(request),
                now=now,
            )
            arrives = shop.known.routes[data["route"]].arrives
            messages.success(request, " ".join(filter(None, (f"{data['count']} received.", arrives))))
            return redirect("stock:shelf")
        except ChargepathError as problem:
            refused(form, problem)
    items = Item.objects.with_use(now - timedelta(days=USE_DAYS))
    context = {
        "form": form,
        "arrivals": [route.arrives for route in shop.known.routes.values() if route.arrives],
        "rows": presenters.shelf_rows(items, shop),
        "orders": presenters.orders_of(items, shop),
        "donors": Donor.objects.filter(gone_at__isnull=True).prefetch_related("taken__item")[:20],
        "moves": presenters.move_rows(Move.objects.for_list()[:SHOWN_MOVES], shop),
    }
    return render(request, "stock/shelf.html", context, status=422 if form.errors else 200)


@posts(Right.PARTS)
def item_page(request: HttpRequest, pk: int) -> HttpResponse:
    """One kind of part: everything about it is corrected here; some are binned; what came and went."""
    item, shop = get_object_or_404(Item, pk=pk), shop_of(request)
    which = request.POST.get("which", "") if request.method == "POST" else ""
    price, days = presenters.price_of(item, shop)
    initial = item_initial(item, price, days)
    form = ItemForm(shop.known, request.POST if which == "keep" else None, initial=initial)
    binned = BinForm(request.POST if which == "bin" else None)
    hand: dict[str, Any] = {"user": signed_in(request), "now": timezone.now()}
    asked = {"keep": form, "bin": binned}.get(which)
    if asked is not None and asked.is_valid():
        try:
            if which == "bin":
                actions.bin_parts(item, binned.cleaned_data["count"], binned.cleaned_data["why"], **hand)
            else:
                _keep(request, item, form.cleaned_data, initial, hand)
            return redirect("stock:shelf" if which == "keep" else "stock:item", *([pk] if which == "bin" else []))
        except ChargepathError as problem:
            refused(asked, problem)
    context = {
        "item": item,
        "label": shop.known.routes[item.route].label,
        "fits": presenters.fits_words(item, shop),
        "arrives": shop.known.routes[item.route].arrives,
        "form": form,
        "binned": binned,
        "moves": presenters.move_rows(Move.objects.for_list().filter(item=item)[:SHOWN_MOVES], shop),
    }
    return render(request, "stock/item.html", context, status=422 if form.errors or binned.errors else 200)


def _keep(request: HttpRequest, item: Item, data: dict[str, Any], shown: dict[str, Any], hand: dict[str, Any]) -> None:
    """Store what was corrected; a count that was left as the page showed it is no count."""
    was, now = (str(shown["price"]), shown["days"]), (str(data["price"]), f"{data['days'] or 0:g}")
    actions.correct_item(
        shop_of(request).known,
        item,
        there=None if data["there"] == shown["there"] else data["there"],
        price=None if was == now else data["price"],
        days=data["days"],
        minimum=data["minimum"] or 0,
        supplier=data["supplier"],
        fits=data["fits"],
        connector=data["connector"],
        breaks=data["breaks"],
        **hand,
    )


@require_POST
@posts(Right.PARTS)
def donor(request: HttpRequest) -> HttpResponse:
    """Add a donor board, or say that nothing is left on one."""
    hand: dict[str, Any] = {"user": signed_in(request), "now": timezone.now()}
    gone = request.POST.get("gone", "")
    form = DonorForm(request.POST)
    try:
        if gone.isdecimal() and len(gone) < 12:
            actions.end_donor(int(gone), **hand)
        elif form.is_valid():
            actions.add_donor(form.cleaned_data["name"], form.cleaned_data["note"], **hand)
        else:
            messages.warning(request, "Which board is it? Its model, and what is wrong with it.")
    except ChargepathError as problem:
        messages.warning(request, str(problem))
    return redirect("stock:shelf")


@require_GET
def take_out(request: HttpRequest) -> HttpResponse:
    """The shelf as CSV."""
    response = HttpResponse(write_table(Item.objects.all(), shop_of(request)), content_type="text/csv")
    response["Content-Disposition"] = 'attachment; filename="shelf.csv"'
    return response


@posts(Right.PARTS)
def bring_in(request: HttpRequest) -> HttpResponse:
    """A shelf from CSV: counts, minima and prices as it says."""
    form = FileForm(request.POST or None, request.FILES or None)
    wrong: list[str] = []
    if form.is_bound and form.is_valid():
        file = form.cleaned_data["file"]
        try:
            if file.size > MOST_BYTES:
                raise ReadingError("that is too large for a shelf", "file", "up to 1 MB")
            text = file.read().decode("utf-8-sig", errors="replace")
            taken, wrong = read_table(text, shop_of(request), user=signed_in(request), now=timezone.now())
            messages.success(request, f"{counted(taken, 'row')} taken.")
            if not wrong:
                return redirect("stock:shelf")
        except ChargepathError as problem:
            refused(form, problem)
    return render(
        request, "stock/import.html", {"form": form, "wrong": wrong[:50]}, status=422 if form.errors or wrong else 200
    )
