"""Forms of the shop's own numbers."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django import forms

from chargepath.base.quantities import shortest
from chargepath.base.sentences import clause
from chargepath.knowledge import Knowledge
from chargepath.knowledge.routes import NO_REPAIR
from chargepath.learning.examples import minutes_of
from rainfront.people.models import Workshop
from rainfront.web.forms import CountField, Merged, MoneyField, QuantityField, StyledForm, StyledModelForm, style
from rainfront.workshop.levels import offered_currencies
from rainfront.workshop.models import ShopStep
from rainfront.workshop.words import key_label


class ChangeForm(StyledForm):
    """A number, its new value and why."""

    path = forms.CharField(widget=forms.HiddenInput, max_length=120)
    value = QuantityField("", label="New value")
    reason = forms.CharField(
        label="Why", max_length=300, required=False, help_text="the list keeps it beside the number"
    )


class MinutesForm(StyledForm):
    """How long something takes here."""

    key = forms.ChoiceField(label="What")
    family = forms.CharField(
        label="For", required=False, max_length=80, help_text="a model, phone, tablet, or empty for all"
    )
    minutes = QuantityField("min", label="Minutes", required=False, help_text="empty: go back to what ships")

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        # Beside the parts' form, whose fields partly have the same names.
        super().__init__(*args, **{"auto_id": "minutes_%s", **kwargs})
        self.fields["key"].choices = [(key, key_label(known, key)) for key in minutes_of(known)]  # type: ignore[attr-defined]


class PartForm(StyledForm):
    """What a repair's part costs here."""

    route = forms.ChoiceField(label="Repair")
    family = forms.CharField(
        label="For", required=False, max_length=80, help_text="a model, phone, tablet, or empty for all"
    )
    price = MoneyField(label="Price", required=False, help_text="empty: as shipped")
    days = QuantityField(
        "days", label="Days until it is there", initial=0, help_text="0: at hand, or, where a shelf is kept, as shipped"
    )
    sold_with = forms.ChoiceField(label="Only sold, or only works, with", required=False)

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        routes = [(route.id, route.label) for route in known.routes.values() if route.id not in NO_REPAIR]
        self.fields["route"].choices = routes  # type: ignore[attr-defined]
        self.fields["sold_with"].choices = [("", "alone"), *routes]  # type: ignore[attr-defined]


def offer_currencies(form: forms.ModelForm) -> None:
    """Offer the currencies that are paid with today, that of the region first, beside the one that is stored."""
    shop: Workshop = form.instance
    form.fields["currency"].choices = offered_currencies(shop.locale, shop.currency)  # type: ignore[attr-defined]


class RegionForm(StyledModelForm):
    """Where the workshop is: how money, dates and decimals are written there."""

    class Meta:
        model = Workshop
        fields = ("locale",)
        labels = {"locale": "Where the workshop is"}
        help_texts = {"locale": "an amount as it is written there stands beside each"}


# The part whose price here says what the others cost.
EXAMPLE = "swap_battery"


class FirstPricesForm(StyledModelForm):
    """What an hour costs here, and one part that everybody knows: the example prices follow it."""

    battery = MoneyField(label="What a new battery for a phone costs you", min_value=Decimal("0.01"))
    tax_percent = MoneyField(label="Tax (%)", decimal_places=3, max_digits=6, min_value=0, max_value=100)

    class Meta:
        model = Workshop
        fields = ("currency", "hourly_rate", "tax_percent", "tax_included")
        field_classes = {"hourly_rate": MoneyField}

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._example = Decimal(str(known.routes[EXAMPLE].part))
        level = self.instance.price_level
        self.fields["battery"].initial = (self._example * level).quantize(Decimal("0.01")) if level else None
        example = shortest(float(self._example))
        proposed = level is not None and not self.instance.prices_own
        guess = f"about right for {self.instance.currency}, a proposal; " if proposed else ""
        self.fields["battery"].help_text = (
            f"{guess}{example} in the examples: every other part, and what a device is worth, is taken as much dearer "
            "or cheaper, until you give its own price"
        )
        if proposed:
            self.fields["hourly_rate"].help_text = "a proposal: what you charge for an hour"
        offer_currencies(self)
        style(self)

    def level(self) -> Decimal:
        """What the example prices are multiplied by."""
        found: Decimal = self.cleaned_data["battery"] / self._example
        return max(found.quantize(Decimal("0.0001")), Decimal("0.0001"))


class WorkshopForm(Merged, StyledModelForm):
    """What the lead sets for the shop."""

    warranty_months = CountField("", label="Warranty (months)", least=0, most=120, help_text="0 for none")
    tax_percent = MoneyField(label="Tax (%)", decimal_places=3, max_digits=6, min_value=0, max_value=100)

    price_level = MoneyField(
        label="Example prices times", required=False, decimal_places=4, max_digits=12, min_value=Decimal("0.0001"),
        help_text="parts and values ship as example numbers; 1 leaves them, 150 makes a part of 11 one of 1650",
    )  # fmt: skip

    class Meta:
        model = Workshop
        fields = (
            "name",
            "locale",
            "currency",
            "hourly_rate",
            "price_level",
            "school",
            "address",
            "opening",
            "warranty_months",
            "warranty_terms",
            "tax_name",
            "tax_percent",
            "tax_included",
        )
        widgets = {
            "address": forms.Textarea(attrs={"rows": 2}),
            "opening": forms.Textarea(attrs={"rows": 2}),
            "warranty_terms": forms.Textarea(attrs={"rows": 2}),
        }
        field_classes = {"hourly_rate": MoneyField}
        help_texts = {
            "school": "what is done here as a rule; each job's page shows what it costs or saves",
            "currency": "your own prices stay as they are when it is changed: First things asks for them anew",
            "address": "as it stands on papers for customers",
            "opening": "as they stand in the message that a device is ready",
            "tax_name": "as it stands on receipts",
            "warranty_terms": "as local rules allow; they go onto the customer's report",
        }

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        offer_currencies(self)
        schools = known.schools.values()
        self.fields["school"] = forms.ChoiceField(
            label="Habit of the shop",
            required=False,
            help_text=self.Meta.help_texts["school"],
            choices=[("", "none: by the advice"), *((school.id, school.label) for school in schools)],
        )
        style(self)


class WireForm(StyledForm):
    """A jumper wire: how long, and what flows."""

    length_mm = QuantityField("mm", label="Length (mm)", least=0.5, most=200)
    amps = QuantityField("A", label="Current (A)", least=0.001, most=20)


# How many settings of tools a step of the shop's own may name.
SETTINGS = 3
# How many facts it may need, and how many it may make.
FACTS = 2


class OwnStepForm(StyledForm):
    """A step of the shop's own."""

    at = forms.ChoiceField(label="It hangs on")
    goes = forms.ChoiceField(label="It goes", choices=ShopStep.Goes.choices, widget=forms.RadioSelect, initial="after")
    do = forms.CharField(
        label="What to do",
        max_length=600,
        widget=forms.Textarea(attrs={"rows": 2}),
        help_text="one thought: part, place, what to do, to what value",
    )
    check_text = forms.CharField(label="What to look at", max_length=300, required=False)
    fails = forms.CharField(label="What to do where it is not so", max_length=300, required=False)
    minutes = QuantityField("min", label="Hands on (min)", least=0, most=120, initial="1")
    wait = QuantityField("min", label="It waits (min)", least=0, most=1440, required=False)
    tools = forms.CharField(label="Tools", max_length=120, required=False, help_text="several parted by commas")
    materials = forms.CharField(label="Used up", max_length=120, required=False, help_text="several parted by commas")
    acts = forms.MultipleChoiceField(label="It", required=False, widget=forms.CheckboxSelectMultiple)
    cautions = forms.MultipleChoiceField(label="Cautions", required=False, widget=forms.CheckboxSelectMultiple)
    kind = forms.ChoiceField(label="For", required=False, widget=forms.RadioSelect)
    model_name = forms.CharField(
        label="Only for the model", max_length=80, required=False, help_text="empty: for every model"
    )

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        work = known.procedures
        steps = {step.id: clause(step.do) for step in work.steps() if "{" not in clause(step.do)}
        choices = {
            "at": sorted(steps.items(), key=lambda row: row[1]),
            "acts": [(name, kind.label) for name, kind in work.acts.items()],
            "cautions": [(name, caution.label) for name, caution in known.cautions.items()],
            "kind": [("", "every kind"), *((name, name) for name in known.kinds)],
        }
        for name, rows in choices.items():
            self.fields[name].choices = rows  # type: ignore[attr-defined]
        kinds = [("", "no setting"), *((name, f"{row.label} ({row.unit})") for name, row in work.settings.items())]
        for number in range(SETTINGS):
            self.fields[f"setting_{number}"] = forms.ChoiceField(label="Setting", choices=kinds, required=False)
            self.fields[f"value_{number}"] = QuantityField("", label="to", required=False, least=0, most=1000)
        says = [
            (f"{'' if so else '!'}{fact}", words[not so]) for fact, words in work.facts.items() for so in (True, False)
        ]
        says.sort(key=lambda row: row[1])
        for name, label in (("needs", "Before it"), ("makes", "After it")):
            for number in range(FACTS):
                self.fields[f"{name}_{number}"] = forms.ChoiceField(
                    label=label, choices=[("", "nothing more"), *says], required=False
                )
        style(self)

    @property
    def fact_rows(self) -> list[tuple[forms.BoundField, forms.BoundField]]:
        """What must be so before it, and what is so after it, side by side."""
        return [(self[f"needs_{number}"], self[f"makes_{number}"]) for number in range(FACTS)]

    @property
    def facts_told(self) -> bool:
        """Whether a fact is chosen, or refused."""
        return any(field.value() or field.errors for row in self.fact_rows for field in row)

    @property
    def setting_rows(self) -> list[tuple[forms.BoundField, forms.BoundField]]:
        """Each setting with its value."""
        return [(self[f"setting_{number}"], self[f"value_{number}"]) for number in range(SETTINGS)]

    def clean(self) -> dict[str, Any]:
        """Gather the settings: one with a value each."""
        data = super().clean() or {}
        data["settings"] = {}
        for number in range(SETTINGS):
            name, value = data.get(f"setting_{number}"), data.get(f"value_{number}")
            if name and value is not None:
                data["settings"][name] = float(value)
            elif name or value is not None:
                self.add_error(f"value_{number}", "A setting and its value belong together.")
        data["wait"] = data.get("wait") or 0.0
        for name in ("needs", "makes"):
            told = [data.get(f"{name}_{number}") for number in range(FACTS)]
            data[name] = list(dict.fromkeys(filter(None, told)))
        return data


def own_step_initial(step: ShopStep) -> dict[str, Any]:
    """What the form shows of a stored step."""
    names = ("at", "goes", "do", "check_text", "fails", "minutes", "wait", "tools", "materials", "acts", "cautions")
    found: dict[str, Any] = {name: getattr(step, name) for name in (*names, "kind", "model_name")}
    for number, (name, value) in enumerate(list(step.settings.items())[:SETTINGS]):
        found |= {f"setting_{number}": name, f"value_{number}": value}
    for facts in ("needs", "makes"):
        found |= {f"{facts}_{number}": fact for number, fact in enumerate(getattr(step, facts)[:FACTS])}
    return found


class StepMarkForm(StyledForm):
    """A mark on the photo of a step; click the picture, or give its place."""

    x = QuantityField("%", label="From the left (%)", least=0, most=100)
    y = QuantityField("%", label="From the top (%)", least=0, most=100)
    text = forms.CharField(label="What is there", max_length=120)
