"""What this shop goes by (`Shop`). The only door to the knowledge; made once a request and passed on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from decimal import Decimal
from functools import lru_cache
from hashlib import sha256
from typing import TypeVar

from django.db.models import Subquery

from chargepath.case.entries import Device
from chargepath.decision.prices import Prices
from chargepath.knowledge import Knowledge, Route
from chargepath.knowledge.changes import Change
from chargepath.knowledge.loader import fingerprint, load, priced, shipped
from chargepath.knowledge.procedures import literals
from chargepath.learning.estimate import minutes_on
from chargepath.learning.examples import Estimates, from_json, minutes_of
from chargepath.learning.overlay import apply
from chargepath.repair.figures import planned_minutes
from chargepath.repair.ownsteps import Goes, OwnStep, own_minutes
from rainfront.people.models import Workshop
from rainfront.web.regional import Region
from rainfront.workshop.models import Edition, KnowledgeChange, Learned, Method, PartPrice, ShopMinutes, ShopStep

T = TypeVar("T")


@dataclass(frozen=True)
class Hung:
    """A step of the shop's own with when it was in force."""

    step: OwnStep
    since: datetime
    until: datetime | None


@dataclass(frozen=True)
class Part:
    """What a route's part costs in one family."""

    price: Decimal
    days: float
    sold_with: str


def days_to_come(part: Part | None, route: Route) -> float:
    """Days until a part is here where a shelf is kept and none lies there: the shop's own, else what ships."""
    return part.days if part and part.days else route.days


@dataclass(frozen=True, eq=False)
class Shop:
    """What this shop goes by, as it stands.

    Attributes
    ----------
    edition : str
        Names the numbers; another one whenever any of them changes, '' for what ships.
    prior : str
        Names those that learning begins from: what ships, and the shop's own in their place.
    shipped : Knowledge
        What comes with the program.
    changed : Knowledge
        The same with the shop's own numbers: the prior of what is learned.
    known : Knowledge
        The knowledge in force: what was learned on top of the changed.
    estimates : Estimates or None
        What was learned; None where nothing learned is used.
    minutes, parts : mapping
        The shop's own minutes and part prices, by family in small letters ('' for all).
    own : tuple of Hung
        Steps of the shop's own, each with when it was in force.
    settings : Workshop or None
        Name, rate, currency and habit, read afresh; None where nothing but what ships is wanted.

    """

    edition: str
    shipped: Knowledge
    changed: Knowledge
    known: Knowledge
    estimates: Estimates | None = None
    minutes: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    parts: Mapping[str, Mapping[str, Part]] = field(default_factory=dict)
    picks: Mapping[str, str] = field(default_factory=dict)
    prior: str = ""
    own: tuple[Hung, ...] = ()
    settings: Workshop | None = None
    _families: dict[str, Knowledge] = field(default_factory=dict, repr=False)

    @classmethod
    def as_shipped(cls) -> Shop:
        """What comes with the program, without a database."""
        return _numbers("")

    @classmethod
    def current(cls) -> Shop:
        """The numbers in force; one query, what is worked out from them is kept until the next edition."""
        token = Subquery(Edition.objects.order_by("pk").values("token")[:1])
        workshop = Workshop.objects.annotate(edition=token).order_by("pk").first()
        if workshop is not None:
            return replace(_numbers(workshop.edition or "", workshop.price_level), settings=workshop)
        first = Edition.objects.order_by("pk").first()
        return replace(_numbers(first.token if first else ""), settings=Workshop.current())

    def own_steps(self, kind: str, model_name: str, at: datetime | None = None) -> list[OwnStep]:
        """The shop's own steps for a device, as they were in force at a moment; None: now."""
        found = (row for row in self.own if row.until is None or (at is not None and at < row.until))
        return [row.step for row in found if (at is None or row.since <= at) and row.step.is_for(kind, model_name)]

    @property
    def shipped_name(self) -> str:
        """Names what comes with the program, in 16 letters."""
        return fingerprint()[:16]

    @property
    def rate_per_hour(self) -> Decimal:
        """Labour, as the shop charges it."""
        return self.settings.hourly_rate if self.settings else Decimal(str(self.known.costs.rate_per_minute)) * 60

    @property
    def region(self) -> Region:
        """How money, dates and decimals are written."""
        return self.settings.region if self.settings else Region()

    def known_for(self, model_name: str) -> Knowledge:
        """The knowledge for a model: with its own shares of the faults where closed jobs of it taught some.

        What is shown of one device says `known_for(model_name).worded(carrier)`, so that its parts have their names.
        """
        if self.estimates is None or f"family:{model_name}" not in self.estimates.shares:
            return self.known
        if model_name not in self._families:
            self._families[model_name] = apply(self.changed, self.estimates, model_name)
        return self._families[model_name]

    def parts_for(self, kind: str, model_name: str) -> dict[str, Part]:
        """Parts of a device: its model's own, else its kind's, else the shop's."""
        return _narrow(self.parts, kind, model_name)

    def minutes_for(self, device: Device, model_name: str) -> dict[str, float]:
        """Minutes by key: those of the plan for this device with the shop's own steps, or times what was learned, which
        has the own steps in it already; and the shop's own by model, kind or all in their place.
        """
        found = dict(planned_minutes(self.known, device, tuple(sorted(self.picks.items()))))
        learned_keys = self.estimates.minutes.keys() if self.estimates else frozenset[str]()
        own = own_minutes(self.known, device, self.own_steps(device.kind, model_name), self.picks)
        found |= {key: max(found.get(key, 0.0) + more, 0.0) for key, more in own.items() if key not in learned_keys}
        if self.estimates:
            prior = minutes_of(self.changed)
            for key, learned in self.estimates.minutes.items():
                if prior.get(key):
                    found[key] = minutes_on(learned, prior[key]) * found.get(key, prior[key]) / prior[key]
        return found | _narrow(self.minutes, device.kind, model_name)

    def pace_of(self, person_pk: int | None) -> float:
        """A person's minutes over everybody's."""
        found = self.estimates.pace.get(str(person_pk)) if self.estimates else None
        return found.here if found else 1.0

    def prices(
        self,
        device: Device,
        model_name: str,
        *,
        hurry: bool,
        person_pk: int | None,
        shelf: Mapping[str, int],
    ) -> Prices:
        """Prices of one job in the hands of one person.

        Nobody waits for a part that lies on the `shelf` (parts by route).
        """
        parts = self.parts_for(device.kind, model_name)
        comebacks = {route: found.factor for route, found in self.estimates.comebacks.items()} if self.estimates else {}
        return Prices.of(
            self.known,
            device.value,
            float(self.rate_per_hour) / 60,
            device=device,
            hurry=hurry,
            pace=self.pace_of(person_pk),
            minutes=self.minutes_for(device, model_name),
            parts={route: float(part.price) for route, part in parts.items()},
            days=self._days(parts, shelf),
            pulls={route: (part.sold_with,) for route, part in parts.items() if part.sold_with},
            comebacks=comebacks,
            picks=self.picks,
        )

    def _days(self, parts: Mapping[str, Part], shelf: Mapping[str, int]) -> dict[str, float]:
        days = {route: part.days for route, part in parts.items()}
        for route, there in shelf.items():
            days[route] = 0.0 if there > 0 else days_to_come(parts.get(route), self.known.routes[route])
        return days


def _narrow(table: Mapping[str, Mapping[str, T]], kind: str, model_name: str) -> dict[str, T]:
    found: dict[str, T] = {}
    for family in ("", kind.lower(), model_name.lower()):
        found |= table.get(family, {})
    return found


def own_changes() -> list[Change]:
    """The numbers that the lead has put in place of shipped ones."""
    return [Change(row.path, row.value) for row in KnowledgeChange.objects.standing()]


def examples_at(level: Decimal | None) -> list[Change]:
    """The example prices that ship as amounts of this shop; none where nobody has said what they cost here.

    The lead's own numbers are applied after these, and so in their place.
    """
    return [] if level in (None, 1) else priced(float(level or 1))


def _prior(changes: Sequence[Change]) -> str:
    return sha256(repr([fingerprint(), sorted((row.path, row.value) for row in changes)]).encode()).hexdigest()


@lru_cache(maxsize=4)
def _numbers(token: str, level: Decimal | None = None) -> Shop:
    """Everything that an edition names; '' is what ships. `level`: what the example prices are multiplied by."""
    examples = examples_at(level)
    if not token and not examples:
        return Shop("", shipped(), shipped(), shipped(), prior=_prior([]))
    changes = own_changes()
    changed = load(changes=[*examples, *changes]) if examples or changes else shipped()
    learned = Learned.objects.first()
    estimates = None
    if learned is not None and learned.state != Learned.State.OFF and learned.jobs:
        estimates = from_json(learned.data)
    known = apply(changed, estimates) if estimates else changed
    minutes: dict[str, dict[str, float]] = {}
    for row in ShopMinutes.objects.standing():
        minutes.setdefault(row.family.lower(), {})[row.key] = row.minutes
    parts: dict[str, dict[str, Part]] = {}
    for part in PartPrice.objects.standing():
        parts.setdefault(part.family.lower(), {})[part.route] = Part(part.price, part.days, part.sold_with)
    picks = {row.slot: row.option for row in Method.objects.standing()}
    return Shop(
        edition=f"{token} times {level}" if examples else token,
        shipped=shipped(),
        changed=changed,
        known=known,
        estimates=estimates,
        minutes=minutes,
        parts=parts,
        picks=picks,
        own=tuple(Hung(own_step(row), row.since, row.struck_at) for row in ShopStep.objects.all()),
        prior=_prior(changes),
    )


def own_step(row: ShopStep) -> OwnStep:
    """A stored step of the shop's own as the core reads it."""
    return OwnStep(
        id=f"own_{row.pk}",
        at=row.at,
        side=Goes(row.goes),
        do=row.do,
        check=row.check_text,
        fails=row.fails,
        minutes=row.minutes,
        wait=row.wait,
        settings=row.settings,
        tools=tuple(listed(row.tools)),
        materials=tuple(listed(row.materials)),
        cautions=tuple(row.cautions),
        acts=tuple(row.acts),
        kind=row.kind,
        model=row.model_name,
        needs=literals(tuple(row.needs)),
        makes=literals(tuple(row.makes)),
    )


def listed(text: str) -> list[str]:
    """Names that are parted by commas."""
    return [name.strip() for name in text.split(",") if name.strip()]
