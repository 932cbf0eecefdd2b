"""The menu at the top of every page, and the guide to it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest
from django.urls import reverse

from rainfront.web.guides import guide_to

# Pages of boards that are no page of a job.
BOARDS = ("board:maps", "board:confirm", "board:map", "board:naming", "board:lay")
# Label, the page it leads to, and which pages it stands for: whole apps, or single views.
MENU: tuple[tuple[str, str, frozenset[str]], ...] = (
    ("Jobs", "day:list", frozenset({"day:list", "exchange:case"})),
    ("Logbook", "logbook:logbook", frozenset({"logbook", "jobs:record"})),
    ("Insights", "insights:insights", frozenset({"insights"})),
    ("Take in", "jobs:take_in", frozenset({"jobs:take_in"})),
    ("Heat", "heat:desk", frozenset({"heat", "cell:plan"})),
    ("Parts", "stock:shelf", frozenset({"stock"})),
    ("References", "reference:overview", frozenset({"reference", *BOARDS, "logbook:models", "logbook:model"})),
    ("Knowledge", "workshop:knowledge", frozenset({"workshop"})),
    ("Settings", "workshop:settings", frozenset({"workshop:settings", "people", "keeping", "exchange", "bench"})),
)


@dataclass(frozen=True)
class MenuRow:
    """One word of the menu; `here` where the page shown belongs to it."""

    label: str
    href: str
    here: bool

    @property
    def takes_in(self) -> bool:
        """Whether it leads to where devices are taken in; a key does too."""
        return self.href == reverse("jobs:take_in")


def page_guide(request: HttpRequest) -> dict[str, Any]:
    """`guide`: the guide to the page that is shown, None where it has none."""
    match = request.resolver_match
    return {"guide": guide_to(match.view_name) if match else None}


def top_menu(request: HttpRequest) -> dict[str, Any]:
    """`top_menu`: where a person can go from every page."""
    match = request.resolver_match
    view, app = (match.view_name, match.namespace) if match else ("", "")
    exact = next((label for label, _, pages in MENU if view in pages), "")
    rows = [MenuRow(label, reverse(page), label == exact if exact else app in pages) for label, page, pages in MENU]
    return {"top_menu": rows}
