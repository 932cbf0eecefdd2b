"""The form of a case file."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core.exceptions import ValidationError

from chargepath.case.file import MAX_BYTES
from rainfront.web.forms import StyledForm


class ImportForm(StyledForm):
    """A case file and what the file does not say."""

    file = forms.FileField(label="Case file (JSON)")
    model_name = forms.CharField(
        label="Model", max_length=80, required=False, help_text="empty: as the file says, where it says so"
    )
    customer = forms.CharField(label="Customer (initials or role)", max_length=40, initial="imported")

    def clean_file(self) -> Any:
        """Refuse what is too large to be a case."""
        file = self.cleaned_data["file"]
        if file.size > MAX_BYTES:
            raise ValidationError(
                f"{file.size / 1e6:.1f} MB is too large for a case file; up to {MAX_BYTES / 1e6:g} MB"
            )
        return file
