"""Form plumbing that every form shares."""

import json
import math
from collections.abc import Sequence
from decimal import Decimal
from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import OVERRANGE, MeterStyle, decimal_mark, parse_diode, parse_quantity, ungrouped
from chargepath.base.sentences import inside
from rainfront.web.secrets import UnlockCodeError, find_code, hide_code, refuse_unlock_code

PLAIN = (forms.TextInput, forms.EmailInput, forms.Textarea, forms.ClearableFileInput)


def style(form: forms.BaseForm) -> None:
    """Give every widget its class, and numbers their figures."""
    for field in form.fields.values():
        widget = field.widget
        many = isinstance(widget, forms.RadioSelect | forms.Select | forms.CheckboxSelectMultiple)
        field.error_messages["required"] = "Choose one." if many else "Fill this in."
        name = "form-select" if type(widget) is forms.Select else "form-control" if isinstance(widget, PLAIN) else ""
        if widget.attrs.get("inputmode"):
            name += " num"
        if name:
            widget.attrs["class"] = f"{widget.attrs.get('class', '')} {name}".strip()


class _NoCodes:
    """Says at each field that takes words that it seems to hold an unlock code, and hides it on the page."""

    def _clean_fields(self) -> None:
        super()._clean_fields()  # type: ignore[misc]
        form: Any = self
        found = [
            (name, value)
            for name, value in form.cleaned_data.items()
            if isinstance(value, str)
            and not isinstance(form.fields[name].widget, forms.PasswordInput | forms.HiddenInput)
        ]
        for name, value in found:
            try:
                refuse_unlock_code(value, inside(str(form.fields[name].label or name)))
            except ChargepathError as error:
                refused(form, error, name)


class StyledForm(_NoCodes, forms.Form):
    """A form whose widgets carry the program's classes.

    What is required is told by the server: a browser would stop at the first empty field and hide the others' errors.
    """

    use_required_attribute = False

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        style(self)


class StyledModelForm(_NoCodes, forms.ModelForm):
    """The same for model forms."""

    use_required_attribute = False

    def __init__(self, *args: object, **kwargs: object) -> None:
        super().__init__(*args, **kwargs)  # type: ignore[arg-type]
        style(self)


def _text(value: Any) -> str | list[str]:
    """A field's value as it is compared: nothing, text, or several texts in order."""
    if value is None or value is False:
        return ""
    if value is True:
        return "yes"
    if isinstance(value, list | tuple | set):
        return sorted(str(one) for one in value)
    return str(value).replace("\r\n", "\n").strip()


class Merged:
    """A form that changes what is there: it carries what it showed, so that two people with it lose nothing.

    What somebody else has changed meanwhile, and this person has not, stays as the other left it. What both have
    changed is shown at its field; sent once more, this person's stands.
    """

    MADE_FROM = "made_from"

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        form: Any = self
        self._clashes: dict[str, str] = {}
        self._mine: frozenset[str] | None = None
        if getattr(form, "instance", None) is None or form.instance.pk:
            form.fields[self.MADE_FROM] = forms.CharField(required=False, widget=forms.HiddenInput, max_length=20_000)
            form.initial[self.MADE_FROM] = lambda: json.dumps(self._all_shown())

    @property
    def mine(self) -> frozenset[str]:
        """The fields that this person has changed; all where nothing was there before."""
        return frozenset(self.fields) if self._mine is None else self._mine  # type: ignore[attr-defined]

    def full_clean(self) -> None:
        """Merge first, then clean as usual."""
        form: Any = self
        if form.is_bound and self.MADE_FROM in form.fields:
            form.data = form.data.copy()
            self._merge(self._all_shown())
        super().full_clean()  # type: ignore[misc]

    def _all_shown(self) -> dict[str, str | list[str]]:
        form: Any = self
        return {name: _text(self._shown(name)) for name in form.fields if name != self.MADE_FROM}

    def _shown(self, name: str) -> Any:
        form: Any = self
        field = form.fields[name]
        return field.prepare_value(form.get_initial_for_field(field, name))

    def _merge(self, shown: dict[str, str | list[str]]) -> None:
        """Put what only others have changed in place of what this person was shown."""
        form: Any = self
        try:
            was = json.loads(form.data.get(form.add_prefix(self.MADE_FROM)) or "null")
        except (ValueError, RecursionError):
            was = None
        if not isinstance(was, dict):
            return
        mine = []
        for name, now in shown.items():
            field, key = form.fields[name], form.add_prefix(name)
            sent = _text(field.widget.value_from_datadict(form.data, form.files, key))
            if sent != was.get(name, sent):
                mine.append(name)
            elif now != sent and isinstance(field.widget, forms.CheckboxInput) and not now:
                form.data.pop(key, None)
            elif now != sent:
                form.data.setlist(key, now if isinstance(now, list) else [now])
            if name in mine and now not in (was.get(name), sent):
                self._clashes[name] = ", ".join(now) if isinstance(now, list) else now
        self._mine = frozenset(mine)
        form.data[form.add_prefix(self.MADE_FROM)] = json.dumps(shown)

    def clean(self) -> dict[str, Any]:
        """Say what both have changed."""
        form: Any = self
        data: dict[str, Any] = super().clean() or form.cleaned_data  # type: ignore[misc]
        data.pop(self.MADE_FROM, None)
        for name, now in self._clashes.items():
            says = f"Somebody has changed this meanwhile: now it says {now or 'nothing'}."
            form.add_error(name, f"{says} Send it again to put yours there.")
        return data


# What an instrument measures in a unit (`js/taken.js`).
# What instruments measure, by the unit of a field. A depth in kPa is what a pressure reader says in mbar.
MEASURED = {"V": "volts", "A": "amps", "ohm": "ohms", "°C": "celsius", "kPa": "mbar"}


class QuantityField(forms.CharField):
    """A number as people type it: decimal comma, units; between `least` and `most` in the field's own unit.

    A number that is shown has the shop's decimal mark. With `overrange` OL is infinite; `suggestions` are numbers with
    what each of them means, offered while typing. Where it is `measured` an instrument of the bench may give it.
    """

    counted = False

    def __init__(
        self,
        unit: str,
        *,
        least: float | None = None,
        most: float | None = None,
        overrange: bool = False,
        suggestions: Sequence[tuple[str, str]] = (),
        measured: bool = False,
        **kwargs: Any,
    ) -> None:
        self.unit, self.least, self.most, self.overrange = unit, least, most, overrange
        self.suggestions = suggestions
        super().__init__(max_length=20, **kwargs)
        self.widget.attrs.update({"inputmode": "decimal", "autocomplete": "off"})
        if measured and unit in MEASURED:
            self.widget.attrs |= {"data-quantity": MEASURED[unit], "data-unit": unit}

    def prepare_value(self, value: Any) -> Any:
        """Return a number as the shop writes it; what was typed stays as it is."""
        return f"{value:.10g}".replace(".", decimal_mark()) if isinstance(value, int | float) else value

    def get_bound_field(self, form: forms.BaseForm, field_name: str) -> forms.BoundField:
        """Return the field in a form, its input tied to the list of its suggestions."""
        bound = super().get_bound_field(form, field_name)
        if self.suggestions:
            self.widget.attrs["list"] = f"{bound.auto_id}_list"
        return bound

    def clean(self, value: Any) -> float | None:
        """Return the number in the field's unit, None where it was left empty."""
        text = super().clean(value)
        if not text:
            return None
        if self.overrange and OVERRANGE.fullmatch(text):
            return math.inf
        try:
            number = parse_quantity(text, self.unit, counted=self.counted)
        except ChargepathError as error:
            raise ValidationError(str(error)) from error
        if self.least is not None and number < self.least:
            raise ValidationError(f"{text} is too little: {self.least:g} {self.unit} or more".strip())
        if self.most is not None and number > self.most:
            raise ValidationError(f"{text} is too much: {self.most:g} {self.unit} or less".strip())
        return number


class CountField(QuantityField):
    """A whole number as people type it."""

    counted = True

    def clean(self, value: Any) -> int | None:
        """Return the number, None where it was left empty."""
        try:
            number = super().clean(value)
            if number is None:
                return None
            if number == int(number):
                return int(number)
        except ValidationError as error:
            if "is not a number" not in "".join(error.messages):
                raise
        raise ValidationError(f"'{value}' is not a whole number, as in 12")


class DiodeField(forms.CharField):
    """A diode reading as the person's meter shows it, in millivolts; infinite where the line is open."""

    def __init__(self, meter: MeterStyle, **kwargs: Any) -> None:
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
    """An amount of money as people type it, exact: decimal comma or point, thousands parted as the region does."""

    widget = forms.TextInput
    default_error_messages = {"invalid": "Give an amount, as in 12,50 or 12.50 or 1 250."}

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(**{"max_digits": 9, "decimal_places": 2, **kwargs})
        self.widget.attrs.update({"inputmode": "decimal", "autocomplete": "off"})

    def to_python(self, value: Any) -> Decimal | None:  # type: ignore[override]
        """Read the amount."""
        if isinstance(value, str):
            sign, digits = ("-", value.strip()[1:]) if value.strip()[:1] in ("-", "\u2212") else ("", value.strip())
            value = sign + (ungrouped(digits.strip(), counted=True) or digits)
        return super().to_python(value)

    def prepare_value(self, value: Any) -> Any:
        """Return an amount as the shop writes it, without decimals where there are none; what was typed stays."""
        if not isinstance(value, Decimal):
            return value
        whole = value == value.to_integral_value()
        return f"{value:.0f}" if whole else f"{value:f}".replace(".", decimal_mark())


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
