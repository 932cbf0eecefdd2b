"""Forms of people and workshop."""

from rainfront.people.models import User, Workshop
from rainfront.web.forms import StyledModelForm


class MeForm(StyledModelForm):
    """What a person sets for themselves."""

    class Meta:
        model = User
        fields = ("initials", "meter")


class WorkshopForm(StyledModelForm):
    """What the lead sets for the shop."""

    class Meta:
        model = Workshop
        fields = ("name", "currency", "hourly_rate")
