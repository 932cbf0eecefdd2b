"""Forms of the counter."""

from __future__ import annotations

import json
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.base.errors import ReadingError
from rainfront.counter.dropoff import place_at, read_marks, read_strokes
from rainfront.counter.models import THINGS, DropOff, Order, Payment, Visit
from rainfront.jobs.forms import TroubleField
from rainfront.web.forms import CountField, Merged, MoneyField, StyledForm, StyledModelForm
from rainfront.web.scenes.outline import THIRDS


class ContactForm(Merged, StyledModelForm):
    """How a customer can be reached; everything may be left out."""

    class Meta:
        model = Visit
        fields = Visit.CONTACT


class LineForm(StyledForm):
    """One line of a bill; one that is left empty is none."""

    label = forms.CharField(label="What", max_length=120, required=False)
    amount = MoneyField(label="Amount", required=False)

    def clean(self) -> dict[str, Any]:
        """A line has both."""
        data = super().clean() or {}
        label, amount = (data.get("label") or "").strip(), data.get("amount")
        if label and amount is None and "amount" not in self.errors:
            self.add_error("amount", "Say how much, 0 where it costs nothing.")
        if amount is not None and not label:
            self.add_error("label", "Say what it is for.")
        return data


class LinesFormSet(forms.BaseFormSet):
    """The lines of a bill. Whoever sends them has seen `seen`: lines that somebody else changed are not overwritten."""

    def __init__(self, data: Any = None, *, stored: Sequence[tuple[str, Decimal]] = (), initial: Any = None) -> None:
        super().__init__(data, prefix="line", initial=initial)
        self.seen = json.dumps([[label, str(amount)] for label, amount in stored])

    def clean(self) -> None:
        """Refuse lines that were made from others than those that are stored now."""
        if self.data.get("line-seen", self.seen) != self.seen:
            raise ValidationError("Somebody has changed the bill meanwhile. Load the page again and look.")

    @property
    def rows(self) -> list[tuple[str, Decimal]]:
        """Lines of valid forms, without those that were left empty."""
        found = [form.cleaned_data for form in self.forms if form.cleaned_data.get("label")]
        return [(row["label"].strip(), row["amount"]) for row in found]


# Beside the lines that are there, so many empty ones.
BillLines = forms.formset_factory(LineForm, formset=LinesFormSet, extra=2, max_num=40, validate_max=True)


class BillForm(Merged, StyledModelForm):
    """What the report says beside what was measured."""

    warranty_months = CountField(
        "", label="Warranty (months)", least=0, most=120, required=False, help_text="0 for none"
    )

    class Meta:
        model = Order
        fields = ("warranty_months", "terms", "noted", "avoid")
        widgets = {name: forms.Textarea(attrs={"rows": 2}) for name in ("terms", "noted", "avoid")}


class PaymentForm(StyledForm):
    """One payment."""

    amount = MoneyField(label="Amount")
    how = forms.ChoiceField(label="How", choices=Payment.How.choices)


class JoinForm(StyledForm):
    """Another job of the same visit."""

    other = CountField("", label="Same visit as job", least=1)


class ReturnForm(StyledForm):
    """The job that a device comes back from."""

    first = CountField("", label="Comes back from job", least=1, required=False, help_text="empty: from none")
    trouble = TroubleField()


def bound(form: Any, request: Any, act: str, **more: Any) -> Any:
    """A form of a page with several: bound where it is the one that was sent."""
    sent = request.method == "POST" and request.POST.get("act") == act
    return form(request.POST if sent else None, **more)


class EraseForm(StyledForm):
    """What else a customer is called, and how far a single word of their name is followed."""

    nicknames = forms.CharField(
        label="Also called",
        required=False,
        max_length=200,
        help_text="nicknames and other spellings, divided by commas",
    )
    everywhere = forms.BooleanField(label="Take each word of the name out of other customers' jobs too", required=False)

    def clean_nicknames(self) -> list[str]:
        """Each by itself; one letter stands in too many words."""
        names = [name.strip() for name in self.cleaned_data["nicknames"].split(",") if name.strip()]
        short = [name for name in names if len(name) < 2]
        if short:
            raise forms.ValidationError(f"'{short[0]}' is too short to be looked for: two letters or more.")
        return names


PLACES = [
    (f"{side.value} {down} {across}", f"{side.label}: {down} {across}")
    for side in DropOff.Side
    for down in (THIRDS[0] if side != DropOff.Side.EDGE else ("middle",))
    for across in THIRDS[1]
]


class DropOffForm(StyledForm):
    """How a device was received. A press on the drawing fills `marks`; without a script `kind` and `place` add one."""

    marks = forms.CharField(widget=forms.HiddenInput, required=False, max_length=8000)
    strokes = forms.CharField(widget=forms.HiddenInput, required=False, max_length=200_000)
    kind = forms.ChoiceField(label="Mark", choices=DropOff.Kind.choices, required=False, widget=forms.RadioSelect)
    place = forms.ChoiceField(label="Or at", choices=[("", "press the drawing"), *PLACES], required=False)
    condition = forms.CharField(label="In words", max_length=300, required=False)
    things = forms.MultipleChoiceField(
        label="Came along", choices=list(THINGS.items()), required=False, widget=forms.CheckboxSelectMultiple
    )
    other = forms.CharField(label="What else came along", max_length=120, required=False)
    agreed = forms.CharField(
        label="What was agreed", max_length=500, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    on_paper = forms.BooleanField(label="Signed on paper", required=False)
    photo = forms.FileField(
        label="A photo (JPEG, PNG or WebP)",
        required=False,
        widget=forms.ClearableFileInput(attrs={"accept": "image/*", "capture": "environment"}),
    )
    shows = forms.CharField(label="What it shows", max_length=120, required=False)

    def clean_marks(self) -> Any:
        """The marks, checked."""
        return self._read(read_marks, "marks")

    def clean_strokes(self) -> Any:
        """The lines of the signature, checked."""
        return self._read(read_strokes, "strokes")

    def _read(self, reader: Any, name: str) -> Any:
        try:
            return reader(self.cleaned_data[name])
        except ReadingError as error:
            raise ValidationError(str(error)) from error

    def clean(self) -> dict[str, Any]:
        """A mark that was chosen by its place is one more."""
        data = super().clean() or {}
        if data.get("place") and "marks" in data:
            mark = place_at(data["place"], data.get("kind") or DropOff.Kind.SCRATCH)
            data["marks"] = [*data["marks"], mark]
        return data


class ExtraForm(StyledForm):
    """Another order on the same device."""

    label = forms.CharField(label="What", max_length=80)
    minutes = CountField("min", label="Minutes", least=0, most=2000)
    part = MoneyField(label="Its part", required=False, min_value=0)
