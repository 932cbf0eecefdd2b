"""Form plumbing that every form shares."""

from django import forms

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
