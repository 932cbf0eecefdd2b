"""Signing in and settings."""

from django.contrib import messages
from django.contrib.auth.views import LoginView, LogoutView
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render

from rainfront.people.actions import store_settings
from rainfront.people.forms import MeForm, WorkshopForm
from rainfront.people.models import User, Workshop


class SignIn(LoginView):
    """Sign in."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True


class SignOut(LogoutView):
    """Sign out (POST)."""


def settings_page(request: HttpRequest) -> HttpResponse:
    """My meter and initials; the workshop's figures for the lead."""
    assert isinstance(request.user, User)
    lead = request.user.role == User.Role.LEAD
    data = request.POST or None
    me = MeForm(data, instance=request.user, prefix="me")
    shop = WorkshopForm(data, instance=Workshop.current(), prefix="shop") if lead else None
    if data and me.is_valid() and (shop is None or shop.is_valid()):
        store_settings(me, shop)
        messages.success(request, "Settings stored.")
        return redirect("people:settings")
    status = 422 if data else 200
    return render(request, "people/settings.html", {"me": me, "shop": shop}, status=status)
