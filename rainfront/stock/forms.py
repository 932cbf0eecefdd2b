"""Forms of the shelf."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity
from chargepath.knowledge import Knowledge
from rainfront.stock.models import Donor, Item
from rainfront.web.forms import CountField, Merged, MoneyField, QuantityField, StyledForm


def connectors_of(known: Knowledge) -> list[tuple[str, str]]:
    """Connectors that a part can be for, '' for any."""
    return [("", "any"), *((connector.id, connector.label) for connector in known.connectors.values())]


class PartsInForm(StyledForm):
    """Parts that came in."""

    route = forms.ChoiceField(label="Part for")
    family = forms.CharField(
        label="Fits",
        required=False,
        max_length=400,
        help_text="models, phone or tablet, divided by commas; empty for all",
    )
    connector = forms.ChoiceField(label="Connector", required=False)
    count = CountField("", label="How many came in", initial=1)
    price = MoneyField(label="Price of one", required=False, help_text="empty: as it was")
    why = forms.ChoiceField(
        label="From",
        choices=(("in", "a supplier"), ("donor", "a donor board"), ("spare", "an old board made good")),
        required=False,
    )
    donor = forms.ModelChoiceField(Donor.objects.none(), label="Donor board", required=False, empty_label="none")

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        routes = [(route.id, route.part_called) for route in known.routes.values() if route.part > 0]
        self.fields["route"].choices = routes  # type: ignore[attr-defined]
        self.fields["connector"].choices = connectors_of(known)  # type: ignore[attr-defined]
        boards = Donor.objects.filter(gone_at__isnull=True)
        self.fields["donor"].queryset = boards  # type: ignore[attr-defined]
        if not boards:
            del self.fields["donor"]

    def clean(self) -> dict[str, Any]:
        """A part off a donor board names the board."""
        data = super().clean() or {}
        if data.get("why") == "donor" and not data.get("donor"):
            raise ValidationError("Which donor board is it off? Add the board first.")
        return data


class ItemForm(Merged, StyledForm):
    """Everything that is corrected where a kind of part stands."""

    there = CountField("", label="There now", required=False)
    price = MoneyField(label="Price of one", required=False)
    days = QuantityField("", label="Days to come", required=False, least=0, most=90)
    minimum = CountField("", label="At least", required=False)
    fits = forms.CharField(label="Fits", required=False, max_length=400)
    connector = forms.ChoiceField(label="Connector", required=False)
    supplier = forms.CharField(label="Supplier", required=False, max_length=60)
    breaks = forms.CharField(
        label="Price by quantity", required=False, max_length=200, help_text="as in 10: 2,40; 50: 1,90"
    )

    def __init__(self, known: Knowledge, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["connector"].choices = connectors_of(known)  # type: ignore[attr-defined]

    def clean_breaks(self) -> list[tuple[int, Decimal]]:
        """Pairs of how many and the price of one from so many on."""
        out = []
        for part in self.cleaned_data["breaks"].split(";"):
            if not part.strip():
                continue
            count, mark, price = part.partition(":")
            try:
                if not mark or not count.strip().isdecimal():
                    raise ValidationError("Write it as in 10: 2,40; 50: 1,90")
                out.append((int(count), Decimal(str(round(parse_quantity(price, ""), 2)))))
            except ChargepathError as error:
                raise ValidationError(str(error)) from error
        return out


def item_initial(item: Item, price: Decimal | float, days: float) -> dict[str, Any]:
    """A kind of part as its form shows it."""
    return {
        "there": item.count,
        "price": price,
        "days": f"{days:g}",
        "minimum": item.minimum,
        "fits": ", ".join(item.fits),
        "connector": item.connector,
        "supplier": item.supplier,
        "breaks": "; ".join(f"{count}: {cost}" for count, cost in item.breaks),
    }


class BinForm(StyledForm):
    """Parts that are thrown away."""

    count = CountField("", label="How many", initial=1)
    why = forms.CharField(label="Why", max_length=200)


class DonorForm(StyledForm):
    """A board to take parts from."""

    name = forms.CharField(label="Board", max_length=80, help_text="model, and what is wrong with it")
    note = forms.CharField(label="Note", required=False, max_length=200)


class FileForm(StyledForm):
    """A shelf as CSV."""

    file = forms.FileField(label="Shelf (CSV)")
