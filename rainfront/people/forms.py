"""Forms of people and workshop."""

from rainfront.people.models import User
from rainfront.web.forms import StyledModelForm


class MeForm(StyledModelForm):
    """What a person sets for themselves."""

    class Meta:
        model = User
        fields = ("initials", "meter")
