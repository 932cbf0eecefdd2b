"""Forms: read what was typed, say what would be right."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django import forms
from django.core.exceptions import ValidationError
from django.urls import reverse

from chargepath.base.quantities import MeterStyle, show
from chargepath.base.sentences import inside
from chargepath.case.entries import CheckEvent, MishapEvent
from chargepath.case.quickline import reportable
from chargepath.grading.expect import PLAIN
from chargepath.grading.readings import steps_of
from chargepath.knowledge import Check, Knowledge
from chargepath.knowledge.traits import with_implied
from rainfront.jobs.actions.take_in import DETAILS
from rainfront.jobs.models import Backup, Carrier, ConnectorChoice, Job, Kind
from rainfront.web.forms import (
    CountField,
    DiodeField,
    Merged,
    MoneyField,
    QuantityField,
    StyledForm,
    StyledModelForm,
    style,
)

# Who stands as the customer of a device that the shop bought.
OWN = "the shop"
# What is pressed at the counter for how long ago a device got wet, in hours.
SINCE_WET = ((2, "Today"), (24, "Yesterday"), (60, "Two or three days"), (168, "About a week"), (720, "Weeks"))


class TroubleField(forms.TypedChoiceField):
    """Whether the old trouble of a device that was here before is back: True, False, or None where nobody knows yet."""

    ANSWERS = (("", "not known yet"), ("same", "the old trouble is back"), ("new", "a new trouble"))

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(
            label="What is wrong now",
            choices=self.ANSWERS,
            coerce=lambda answer: answer == "same",
            empty_value=None,
            required=False,
            widget=forms.RadioSelect,
            **kwargs,
        )


class TakeInForm(Merged, StyledModelForm):
    """What is asked at the counter."""

    history = forms.MultipleChoiceField(required=False, widget=forms.CheckboxSelectMultiple)
    dangers = forms.MultipleChoiceField(
        label="Dangers seen at the counter", required=False, widget=forms.CheckboxSelectMultiple
    )

    battery_percent = CountField(
        "%",
        label="Battery as found (%)",
        required=False,
        least=0,
        most=100,
        help_text="as found, empty where it shows nothing",
    )

    wet_hours = forms.TypedChoiceField(
        label="When did it get wet?", coerce=float, empty_value=None, required=False, widget=forms.RadioSelect
    )

    trouble = TroubleField()

    class Meta:
        model = Job
        fields = tuple(name for name in DETAILS if name != "traits")
        widgets = {
            "complaint": forms.Textarea(attrs={"rows": 1}),
            "promised_at": forms.DateTimeInput(attrs={"type": "datetime-local"}, format="%Y-%m-%dT%H:%M"),
        }
        field_classes = {"value": MoneyField, "limit": MoneyField, "bought_for": MoneyField}
        help_texts = {
            "model_name": "as the shop calls it; what was here before is filled in",
            "value": "what the working device is worth",
            "serial": "as printed or shown; a device that was here before is found by it",
            "limit": "ask again before going over it; empty where none was named",
            "bought_for": "Then the limit is what it may cost until it is sold; left empty, the limit is what it is"
            " worth working less what was paid for it. No customer has to be named.",
            "complaint": "In the customer's words. Never write an unlock code anywhere.",
        }

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        told = [(flag, label) for flag, label in known.history.items() if flag not in known.since_wet]
        self.fields["history"].choices = told  # type: ignore[attr-defined]
        seen = [(hazard.id, hazard.report) for hazard in reportable(known)]
        self.fields["dangers"].choices = seen  # type: ignore[attr-defined]
        if self.instance.pk:
            del self.fields["dangers"], self.fields["trouble"]
        self._add_traits(known)
        self._add_since_wet()
        self.fields["model_name"].widget.attrs |= {
            "autofocus": True,
            "hx-get": reverse("jobs:known_model"),
            "hx-trigger": "change",
            "hx-include": "#filled",
            "hx-target": "#device",
            "hx-swap": "outerHTML",
            "role": "combobox",
            "aria-controls": "completions",
            "aria-expanded": "false",
            "aria-autocomplete": "list",
            "autocomplete": "off",
        }
        self.symptoms = known.symptoms
        self.fields["complaint"].required = False
        self.fields["customer"].required = False
        for name, choices in (
            ("kind", Kind.choices),
            ("connector", ConnectorChoice.choices),
            ("carrier", Carrier.choices),
            ("backup", Backup.choices),
        ):
            self.fields[name].widget = forms.RadioSelect(choices=choices)

    def _add_since_wet(self) -> None:
        """Answers by the press; a number that none of them stands for is kept as one more."""
        choices = [(f"{hours:g}", label) for hours, label in SINCE_WET]
        stored = self.instance.wet_hours
        if stored is not None and f"{stored:g}" not in dict(choices):
            choices.append((f"{stored:g}", f"{stored:g} hours before"))
        if stored is not None:
            self.initial["wet_hours"] = f"{stored:g}"
        self.fields["wet_hours"].choices = [("", "not said"), *choices]  # type: ignore[attr-defined]

    def _add_traits(self, known: Knowledge) -> None:
        """One question for each group of traits of which at most one holds, and boxes for the others."""
        self.traits = known.traits
        told = set(self.initial.get("traits") or self.instance.traits)
        groups: dict[str, list[tuple[str, str]]] = {}
        for trait in known.traits.values():
            groups.setdefault(trait.group, []).append((trait.id, trait.label))
        self.built: list[str] = []
        for group, choices in groups.items():
            name = f"built_{len(self.built)}"
            held = [trait for trait, _ in choices if trait in told]
            if group:
                self.fields[name] = forms.ChoiceField(
                    label=group,
                    choices=[("", "as usual"), *choices],
                    required=False,
                    widget=forms.RadioSelect,
                    initial=held[0] if held else "",
                )
            else:
                self.fields[name] = forms.MultipleChoiceField(
                    label="And", choices=choices, required=False, widget=forms.CheckboxSelectMultiple, initial=held
                )
            self.built.append(name)

    def changed_by_me(self, name: str) -> bool:
        """Whether this person has changed a detail; traits are told in several fields."""
        return bool(self.mine & {*self.built}) if name == "traits" else name in self.mine

    @property
    def device_choices(self) -> list[forms.BoundField]:
        """What the device is, each by one press."""
        return [self["kind"], self["connector"], self["carrier"]]

    @property
    def built_fields(self) -> list[forms.BoundField]:
        """The fields that say how the device is built."""
        return [self[name] for name in self.built]

    @property
    def told_groups(self) -> list[tuple[str, list[Any]]]:
        """What may be told, in two short groups: what is wrong now, and what happened before."""
        options = [option for option in self["history"] if option.data["value"] != "data_matters"]
        now = [option for option in options if option.data["value"] in self.symptoms]
        before = [option for option in options if option.data["value"] not in self.symptoms]
        return [("Wrong now", now), ("What happened before", before)]

    @property
    def data_matters(self) -> Any:
        """Whether the data matters, which is asked beside the backup."""
        return next(option for option in self["history"] if option.data["value"] == "data_matters")

    def clean(self) -> dict[str, Any]:
        """Gather how it is built; refuse texts that seem to hold an unlock code.

        A complaint that was left empty is what was ticked as wrong now.
        """
        data = super().clean() or {}
        if not data.get("complaint"):
            labels = dict(self.fields["history"].choices)  # type: ignore[attr-defined]
            told = [labels[flag] for flag in data.get("history", ()) if flag in self.symptoms]
            data["complaint"] = ", ".join(told)
            if not told and "complaint" not in self.errors:
                self.add_error("complaint", "Write what is wrong, or tick it below.")
        self._clean_owner(data)
        found = [data.get(name) or [] for name in self.built]
        if not {"liquid", "salt_liquid"} & set(data.get("history", ())):
            data["wet_hours"] = None
        told = [trait for one in found for trait in ([one] if isinstance(one, str) else one)]
        data["traits"] = with_implied(self.traits, told)
        return data

    def _clean_owner(self, data: dict[str, Any]) -> None:
        """A customer has a name; a device of the shop's own has a limit, at most what is left to earn on it."""
        bought, worth = data.get("bought_for"), data.get("value")
        if bought is None:
            if not data.get("customer") and "customer" not in self.errors:
                self.add_error("customer", "Write who brought it, by initials or role.")
            return
        data["customer"] = data.get("customer") or OWN
        if data.get("limit") is None and worth is not None and "limit" not in self.errors:
            data["limit"] = max(worth - bought, Decimal(0))


def limits_in_words(check: Check) -> list[str]:
    """Say where each grade of a check begins, for the hint under its field; empty where no single number grades it."""
    if check.graded_by != "steps" or check.tool:
        return []
    unit = next(iter(check.values.values())).unit
    sides = {"from": "from", "below": "under"}
    return [f"{check.name(grade)} {sides[side]} {show(limit, unit)}" for grade, side, limit in steps_of(check)]


CHARGER_HINT = "as printed on it or by its kind; empty for a plain brick of 2 A"


def chargers_offered(known: Knowledge) -> list[tuple[str, str]]:
    """What each kind of 5 V charger gives at most, in amperes, with what it is called; the least first."""
    volts = known.sources[PLAIN].volts
    plain = [source for source in known.sources.values() if source.volts == volts and not source.pad]
    by_amps: dict[float, list[str]] = {}
    for source in sorted(plain, key=lambda source: source.amps):
        by_amps.setdefault(source.amps, []).append(source.label)
    return [(show(amps, "A"), " · ".join(labels)) for amps, labels in by_amps.items()]


class CheckForm(StyledForm):
    """The form of one check, built from the knowledge."""

    def __init__(self, check: Check, meter: MeterStyle, data: Any = None, *, known: Knowledge) -> None:
        super().__init__(data)
        self.check = check
        for name, value in check.values.items():
            if value.worked_out:
                continue
            about = check.value_label(name)
            if value.unit == "mV":
                hint = f"as your meter shows it ({inside(meter.label)}); OL when open" if value.overrange else ""
                self.fields[name] = DiodeField(meter, label=about, required=False, help_text=hint)
            else:
                self.fields[name] = QuantityField(
                    value.unit,
                    overrange=value.overrange,
                    label=about,
                    required=False,
                    measured=True,
                    suggestions=chargers_offered(known) if value.of_charger else (),
                    help_text=CHARGER_HINT if value.of_charger else ", ".join(limits_in_words(check)),
                )
        if check.grades:
            choices = [(grade, check.name(grade)) for grade in check.grades]
            label = "or say it" if check.values else "What did it show?"
            self.fields["grade"] = forms.ChoiceField(
                label=label, choices=choices, widget=forms.RadioSelect, required=not check.values
            )
        else:
            choices = [(sign, check.name(sign)) for sign in check.signs]
            self.fields["signs"] = forms.MultipleChoiceField(
                label="Seen (leave all empty for nothing to see)",
                choices=choices,
                widget=forms.CheckboxSelectMultiple,
                required=False,
            )
        if check.variants:
            self.fields["variant"] = forms.ChoiceField(
                label="Where" if check.variant_field == "at" else check.variant_field.capitalize(),
                choices=[(name, check.name(name)) for name in check.variants],
                initial=check.variants[0],
                widget=forms.RadioSelect,
            )
        style(self)
        first = next(iter(self.fields.values()))
        first.widget.attrs["autofocus"] = True

    @property
    def numbers(self) -> list[forms.BoundField]:
        """The fields that a number is typed into."""
        return [self[name] for name in self.fields if name in self.check.values]

    @property
    def answers(self) -> list[forms.BoundField]:
        """The other fields, each answered by the press."""
        return [self[name] for name in self.fields if name not in self.check.values]

    def clean(self) -> dict[str, Any]:
        """Refuse a form that says nothing."""
        data = super().clean() or {}
        given = [name for name in self.check.values if data.get(name) is not None]
        lacking = [] if data.get("grade") or self.errors else self.check.lacking(given)
        if lacking:
            wanted = ", ".join(name.replace("_", " ") for name in lacking)
            raise ValidationError(f"Give {wanted}, or choose what it showed.")
        return data

    def event(self) -> CheckEvent:
        """The observation of a valid form."""
        data = self.cleaned_data
        values = {name: float(data[name]) for name in self.check.values if data.get(name) is not None}
        variant = data.get("variant", "")
        if self.check.variants and variant == self.check.variants[0]:
            variant = ""
        signs = tuple(sign for sign in self.check.signs if sign in data.get("signs", ()))
        return CheckEvent(self.check.id, variant, data.get("grade", ""), signs, values)


class MishapForm(StyledForm):
    """What went wrong under one's own hands."""

    mishap = forms.ChoiceField(label="What happened?", widget=forms.RadioSelect)
    lost = forms.CharField(label="What is damaged or lost, and where", max_length=300)
    read = forms.CharField(
        label="What was read on both sides",
        max_length=300,
        required=False,
        help_text="before and after it, or here and on a good board",
    )
    stays = forms.CharField(
        label="What is done about it, or why it stays",
        max_length=300,
        required=False,
        help_text="whoever goes on reads it",
    )

    def __init__(self, known: Knowledge, data: Any = None) -> None:
        super().__init__(data)
        self.looks = {mishap.id: mishap.look for mishap in known.mishaps.values()}
        choices = [(mishap.id, mishap.label) for mishap in known.mishaps.values()]
        self.fields["mishap"].choices = choices  # type: ignore[attr-defined]

    @property
    def kinds(self) -> list[tuple[Any, str]]:
        """Each kind of mishap as an option, with the text that says what to look at first."""
        return [(option, self.looks[option.data["value"]]) for option in self["mishap"]]

    def event(self) -> MishapEvent:
        """The mishap of a valid form; its words are one text."""
        data = self.cleaned_data
        parts = [("Damaged or lost", "lost"), ("Read on both sides", "read"), ("What about it", "stays")]
        words = [f"{title}: {data[name].strip().rstrip('.')}." for title, name in parts if data[name].strip()]
        return MishapEvent(data["mishap"], " ".join(words))


class QuoteForm(StyledForm):
    """A quote: the amount, and what the customer is told."""

    amount = MoneyField(label="Amount", min_value=0, max_value=100_000)
    words = forms.CharField(label="In words", max_length=3000, widget=forms.Textarea(attrs={"rows": 10}))


class AnswerForm(StyledForm):
    """Who answered a quote."""

    who = forms.CharField(label="Customer who answered (initials or role)", max_length=40)
