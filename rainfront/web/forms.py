"""Form plumbing that every form shares."""

from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.base.errors import ChargepathError
from chargepath.base.quantities import parse_quantity

PLAIN = (forms.TextInput, forms.Textarea, forms.NumberInput, forms.ClearableFileInput)


def style(form: forms.BaseForm) -> None:
    """Give every widget its class, and numbers their figures."""
    for field in form.fields.values():
        widget = field.widget
        name = "form-select" if type(widget) is forms.Select else "form-control" if isinstance(widget, PLAIN) else ""
        if isinstance(widget, forms.NumberInput) or widget.attrs.get("inputmode"):
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
    """A number as people type it: decimal comma, units."""

    def __init__(self, unit: str, **kwargs: Any) -> None:
        self.unit = unit
        super().__init__(max_length=20, **kwargs)
        self.widget.attrs.update({"inputmode": "decimal", "autocomplete": "off"})

    def clean(self, value: Any) -> float | None:
        """Return the number in the field's unit, None where it was left empty."""
        text = super().clean(value)
        if not text:
            return None
        try:
            return parse_quantity(text, self.unit, str(self.label or ""))
        except ChargepathError as error:
            raise ValidationError(str(error)) from error


def refused(form: forms.BaseForm, error: ChargepathError, field: str | None = None) -> None:
    """Put an action's refusal on the form: what was typed stays, and the page says what would be right."""
    form.add_error(field, str(error))
