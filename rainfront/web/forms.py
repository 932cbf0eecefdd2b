"""Form plumbing that every form shares."""

from decimal import Decimal
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import Meter, parse_diode, parse_quantity
from rainfront.web.secrets import UnlockCodeError, find_code, hide_code

PLAIN = (forms.TextInput, forms.EmailInput, forms.Textarea, forms.ClearableFileInput)


def style(form: forms.BaseForm) -> None:
    """Give every widget its class, and numbers their figures."""
    for field in form.fields.values():
        widget = field.widget
        name = "form-select" if type(widget) is forms.Select else "form-control" if isinstance(widget, PLAIN) else ""
        if widget.attrs.get("inputmode"):
            name += " num"
        if name:
            widget.attrs["class"] = f"{widget.attrs.get('class', '')} {name}".strip()


class StyledForm(forms.Form):
    """A form whose widgets carry the program's classes."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        style(self)


class StyledModelForm(forms.ModelForm):
    """The same for model forms."""

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        style(self)


class QuantityField(forms.CharField):
    """A number as people type it: decimal comma, units; between `least` and `most` in the field's own unit."""

    def __init__(self, unit: str, *, least: float | None = None, most: float | None = None, **kwargs: Any) -> None:
        self.unit, self.least, self.most = unit, least, most
        super().__init__(max_length=20, **kwargs)
        self.widget.attrs.update({"inputmode": "decimal", "autocomplete": "off"})

    def clean(self, value: Any) -> float | None:
        """Return the number in the field's unit, None where it was left empty."""
        text = super().clean(value)
        if not text:
            return None
        try:
            number = parse_quantity(text, self.unit)
        except ChargepathError as error:
            raise ValidationError(str(error)) from error
        if self.least is not None and number < self.least:
            raise ValidationError(f"{text} is too little: {self.least:g} {self.unit} or more".strip())
        if self.most is not None and number > self.most:
            raise ValidationError(f"{text} is too much: {self.most:g} {self.unit} or less".strip())
        return number


class CountField(QuantityField):
    """A whole number as people type it."""

    def clean(self, value: Any) -> int | None:
        """Return the number, None where it was left empty."""
        try:
            number = super().clean(value)
            if number is None:
                return None
            if number == int(number):
                return int(number)
        except ValidationError as error:
            if "is not a number" not in error.message:
                raise
        raise ValidationError(f"'{value}' is not a whole number, as in 12")


class DiodeField(forms.CharField):
    """A diode reading as the person's meter shows it, in millivolts; infinite where the line is open."""

    def __init__(self, meter: Meter, **kwargs: Any) -> None:
        self.meter = meter
        super().__init__(max_length=20, **kwargs)
        self.widget.attrs.update({"inputmode": "text", "autocomplete": "off"})

    def clean(self, value: Any) -> float | None:
        """Return the reading [mV], None where it was left empty."""
        text = super().clean(value)
        if not text:
            return None
        try:
            return parse_diode(text, self.meter, "")
        except ChargepathError as error:
            raise ValidationError(str(error)) from error


class MoneyField(forms.DecimalField):
    """An amount of money as people type it, exact; a decimal comma is a decimal point."""

    widget = forms.TextInput
    default_error_messages = {"invalid": "Give an amount, as in 12,50 or 12.50."}

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"max_digits": 9, "decimal_places": 2, **kwargs})
        self.widget.attrs.update({"inputmode": "decimal", "autocomplete": "off"})

    def to_python(self, value: Any) -> Decimal | None:  # type: ignore[override]
        """Read the amount."""
        return super().to_python(value.replace(",", ".") if isinstance(value, str) else value)


def refused(form: forms.BaseForm, error: ChargepathError, field: str | None = None) -> None:
    """Put an action's refusal on the form: what was typed stays, but for an unlock code."""
    form.add_error(field, str(error))
    if isinstance(error, UnlockCodeError):
        form.data = hidden(form.data)


def hidden(data: Any) -> Any:
    """What was posted, with everything hidden that seems to be an unlock code."""
    copy = data.copy()
    for name, value in data.items():
        if isinstance(value, str) and find_code(value) is not None:
            copy[name] = hide_code(value)
    return copy
