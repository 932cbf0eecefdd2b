"""Forms of people and workshop."""

from __future__ import annotations

import ipaddress
from typing import Any

from django import forms
from django.contrib.auth.forms import AuthenticationForm, PasswordChangeForm, SetPasswordForm
from django_otp import devices_for_user, match_token

from rainfront.people.models import User, Workshop
from rainfront.web.forms import CountField, Merged, StyledForm, StyledModelForm, style


class MeForm(Merged, StyledModelForm):
    """What a person sets for themselves."""

    class Meta:
        model = User
        fields = ("initials", "meter")


class SignInForm(AuthenticationForm):
    """Name and password, and a time code where the person uses them."""

    code = forms.CharField(label="Code", max_length=12, required=False)
    error_messages = {
        **AuthenticationForm.error_messages,
        "invalid_login": "Name and password do not match. Both are case sensitive.",
        "inactive": "Name and password do not match. Both are case sensitive.",
        "code": "Type the six digits that your app shows now, or one of your spare codes.",
        "wrong_code": "That code is not right, or was used already. Wait for the next one.",
    }
    wants_code = False

    def clean_username(self) -> str:
        """Names are stored in small letters (`people.actions`); a telephone begins them with a capital."""
        name = str(self.cleaned_data["username"]).strip()
        return name if User.objects.filter(username=name).exists() else name.lower()

    def clean(self) -> dict[str, Any]:
        """The second step comes only after the first held."""
        data = super().clean()
        person = self.get_user()
        if person is not None and any(True for _ in devices_for_user(person)):
            self.wants_code = True
            code = str(data.get("code", "")).replace(" ", "")
            if not code or match_token(person, code) is None:
                kind = "wrong_code" if code else "code"
                raise forms.ValidationError(self.error_messages[kind], code=kind)
        return data


class NewPasswordForm(SetPasswordForm):
    """A first or a new password, at a one-time link."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        style(self)


class OwnPasswordForm(PasswordChangeForm):
    """A new password, by who knows the old one."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        style(self)


class PersonForm(StyledForm):
    """Somebody new."""

    username = forms.CharField(
        label="Name to sign in with",
        max_length=30,
        help_text="stored in small letters",
        widget=forms.TextInput(attrs={"autocapitalize": "none", "spellcheck": "false"}),
    )
    initials = forms.CharField(label="Initials", max_length=6, required=False, help_text="as they stand in logs")
    role = forms.ChoiceField(label="Role", choices=User.Role.choices, initial=User.Role.TECHNICIAN)


class ChangePersonForm(Merged, StyledForm):
    """Somebody who is here already."""

    initials = forms.CharField(label="Initials", max_length=6, required=False, help_text="as they stand in logs")
    role = forms.ChoiceField(label="Role", choices=User.Role.choices)
    active = forms.BooleanField(label="May sign in", required=False)


class CodeForm(StyledForm):
    """The first time code, which shows that the app has understood."""

    code = forms.CharField(label="The six digits that the app shows", max_length=12)
    code.widget.attrs.update({"inputmode": "numeric", "autocomplete": "one-time-code"})


class KeepingForm(Merged, StyledModelForm):
    """What only the owner sets."""

    idle_minutes = CountField("", label="Signed out after so many idle minutes", least=5, most=600)
    keep_months = CountField(
        "", label="Customers are erased so many months after the job closed", least=0, most=240, help_text="0: never"
    )

    class Meta:
        model = Workshop
        fields = ("idle_minutes", "keep_months", "meter_networks")
        help_texts = {
            "meter_networks": "addresses or networks, divided by commas, as in 192.168.4.20 or 192.168.4.0/24"
        }

    def clean_meter_networks(self) -> str:
        """Each is an address or a network in which meters can stand."""
        names = [name.strip() for name in self.cleaned_data["meter_networks"].split(",") if name.strip()]
        for name in names:
            try:
                found = ipaddress.ip_network(name, strict=False)
            except ValueError as error:
                raise forms.ValidationError(f"'{name}' is no address and no network, as in 192.168.4.0/24") from error
            if not found.is_private or found.is_link_local:
                raise forms.ValidationError(f"{name} is not in the shop's own network.")
        return ", ".join(names)
