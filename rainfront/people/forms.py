"""Forms of people and workshop."""

from typing import Any

from django import forms

from chargepath.knowledge import shipped
from rainfront.people.models import User, Workshop
from rainfront.web.forms import StyledModelForm, style


class MeForm(StyledModelForm):
    """What a person sets for themselves."""

    class Meta:
        model = User
        fields = ("initials", "meter")


class WorkshopForm(StyledModelForm):
    """What the lead sets for the shop."""

    class Meta:
        model = Workshop
        fields = ("name", "currency", "hourly_rate", "school")
        help_texts = {"school": "what is done here as a rule; each job's page shows what it costs or saves"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        schools = shipped().schools.values()
        self.fields["school"] = forms.ChoiceField(
            label="Habit of the shop", required=False, help_text=self.Meta.help_texts["school"],
            choices=[("", "none: by the advice"), *((school.id, school.label) for school in schools)],
        )  # fmt: skip
        style(self)
