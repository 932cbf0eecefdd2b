"""The page of the bench's own tools and consumables."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.utils import timezone

from chargepath.base.errors import ChargepathError, ReadingError
from rainfront.people.context import signed_in
from rainfront.people.rights import Right, may, posts
from rainfront.stock.bench import consumables_of, enter_test, need_rows, note_need, test_rows, tools_named
from rainfront.stock.models import BenchTestRun
from rainfront.web.secrets import hide_code
from rainfront.workshop.context import shop_of

# Tests that the log on the page shows, the newest first.
SHOWN = 12


@posts(Right.MEASURE)
def bench(request: HttpRequest) -> HttpResponse:
    """Tests of the bench's tools with their log, consumables and tools with how much there is; each entered here."""
    shop, now = shop_of(request), timezone.now()
    known, refused, sent = shop.known, "", request.POST if request.method == "POST" else {}
    if request.method == "POST":
        try:
            messages.success(request, _store(request, shop.known))
            return redirect("stock:bench")
        except ChargepathError as error:
            refused = str(error)
    context = {
        "tests": test_rows(known, now),
        "consumables": need_rows(known, consumables_of(known), now),
        "tools": (tools := need_rows(known, tools_named(known), now)),
        "tools_wrong": sum(bool(row.state) for row in tools),
        "sent_tool": str(sent.get("name", "")) in {row.name for row in tools},
        "log": [
            (row, known.upkeep.tests[row.test])
            for row in BenchTestRun.objects.select_related("by")[:SHOWN]
            if row.test in known.upkeep.tests
        ],
        "refused": refused,
        "sent": {name: hide_code(str(sent.get(name, ""))) for name in ("test", "reading", "note", "name", "use_by")},
        "may": may(signed_in(request), Right.MEASURE),
    }
    return render(request, "stock/bench.html", context, status=422 if refused else 200)


def _store(request: HttpRequest, known: Any) -> str:
    """Store what was sent, and say so."""
    sent: Any = request.POST
    hand: dict[str, Any] = {"user": signed_in(request), "now": timezone.now()}
    if sent.get("test"):
        told = {"yes": True, "no": False}.get(sent.get("holds", ""))
        made = enter_test(
            known, sent["test"], typed=sent.get("reading", ""), holds=told, note=sent.get("note", ""), **hand
        )
        test = known.upkeep.tests[made.test]
        return f"{test.label} holds." if made.holds else f"{test.label} does not hold. {test.fails}"
    need = note_need(
        known, sent.get("name", ""), sent.get("state", ""), _day(sent.get("use_by", "")), sent.get("note", ""), **hand
    )
    return f"{need.name}: {need.get_state_display()}."


def _day(text: str) -> date | None:
    if not text.strip():
        return None
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise ReadingError(f"'{text[:20]}' is no date", "use by", "year, month, day, as 2027-03-31") from error
