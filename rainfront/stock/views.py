"""The shelf."""

from __future__ import annotations

from datetime import timedelta

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from chargepath.base.errors import ChargepathError
from chargepath.decision.shelf import USE_DAYS
from rainfront.people.context import signed_in
from rainfront.practice.context import practice_of
from rainfront.stock import actions, presenters
from rainfront.stock.forms import CountForm, TakeInForm
from rainfront.stock.models import Move

SHOWN_MOVES = 30


def shelf(request: HttpRequest) -> HttpResponse:
    """What lies there, what to order, what came and went; parts are taken in and counted here."""
    which = request.POST.get("which", "") if request.method == "POST" else ""
    practice = practice_of(request)
    form = TakeInForm(practice.known, request.POST if which == "in" else None)
    counted = CountForm(request.POST if which == "count" else None)
    user, now, error = signed_in(request), timezone.now(), ""
    try:
        if which == "in" and form.is_valid():
            data = form.cleaned_data
            actions.take_in(
                practice.known, data["route"], data["family"], data["count"], data["price"], user=user, now=now
            )
            messages.success(request, f"{data['count']} taken in.")
            return redirect("stock:shelf")
        if which == "count" and counted.is_valid():
            data = counted.cleaned_data
            actions.count_parts(practice.known, data["route"], data["family"], data["there"], user=user, now=now)
            return redirect("stock:shelf")
        if which == "count":
            error = "How many lie there? A whole number, 0 or more."
    except ChargepathError as problem:
        error = str(problem)
    if error and which == "in":
        form.add_error(None, error)
    use = Move.objects.with_use(now - timedelta(days=USE_DAYS))
    context = {
        "form": form,
        "count_error": error if which == "count" else "",
        "rows": presenters.shelf_rows(use, practice),
        "moves": presenters.move_rows(Move.objects.for_list()[:SHOWN_MOVES], practice),
    }
    return render(request, "stock/shelf.html", context, status=422 if error or form.errors else 200)
