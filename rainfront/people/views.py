"""Signing in and out; people, their roles and passwords."""

from __future__ import annotations

from typing import Any

from django.contrib import messages
from django.contrib.auth import update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView, PasswordResetConfirmView
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse_lazy
from django.utils import timezone
from django.utils.decorators import method_decorator
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_GET, require_POST

from chargepath.base.errors import ChargepathError
from rainfront.people import actions, codes, presenters, throttle
from rainfront.people.context import signed_in
from rainfront.people.forms import (
    ChangePersonForm,
    CodeForm,
    KeepingForm,
    NewPasswordForm,
    OwnPasswordForm,
    PersonForm,
    SignInForm,
)
from rainfront.people.models import User, Workshop
from rainfront.people.rights import Right, own, posts, require


class SignIn(LoginView):
    """Sign in."""

    template_name = "people/sign_in.html"
    authentication_form = SignInForm
    redirect_authenticated_user = True

    def get_context_data(self, **kwargs: Any) -> dict[str, Any]:
        """Say where nobody can sign in yet."""
        return {**super().get_context_data(**kwargs), "nobody": not User.objects.exists()}


@method_decorator(own, name="dispatch")
class SignOut(LogoutView):
    """Sign out (POST)."""


@method_decorator(login_not_required, name="dispatch")
class Begin(PasswordResetConfirmView):
    """Set a password at a one-time link."""

    template_name = "people/begin.html"
    form_class = NewPasswordForm
    success_url = reverse_lazy("people:sign_in")

    def form_valid(self, form: Any) -> HttpResponse:
        """Stored; now they sign in with it."""
        answer = super().form_valid(form)
        actions.note_password(form.user, now=timezone.now())
        messages.success(self.request, "Your password is set. Sign in with it.")
        return answer


@sensitive_post_parameters()
@own
def password(request: HttpRequest) -> HttpResponse:
    """Change one's own password."""
    user = signed_in(request)
    too_often = throttle.held(request, user) if request.method == "POST" else None
    if too_often is not None:
        return too_often
    form = OwnPasswordForm(user, request.POST or None)
    if request.method == "POST" and form.has_error("old_password"):
        throttle.count_wrong(request, user)
    if request.method == "POST" and form.is_valid():
        form.save()
        update_session_auth_hash(request, user)
        actions.note_password(user, now=timezone.now())
        messages.success(request, "Your password is changed. Wherever else you were signed in, you no longer are.")
        return redirect("workshop:settings")
    return render(request, "people/password.html", {"form": form}, status=422 if form.errors else 200)


@own
def time_codes(request: HttpRequest) -> HttpResponse:
    """Switch time codes on or off."""
    user, now = signed_in(request), timezone.now()
    context: dict[str, Any] = {"on": codes.uses_codes(user), "form": CodeForm(request.POST or None)}
    status = 200
    if request.method == "POST" and "off" in request.POST:
        too_often = throttle.held(request, user)
        if too_often is not None:
            return too_often
        if user.check_password(request.POST.get("password", "")[:200]):
            codes.switch_off(user, now=now)
            messages.success(request, "Time codes are off.")
            return redirect("workshop:settings")
        throttle.count_wrong(request, user)
        return render(request, "people/codes.html", {"on": context["on"], "wrong": True}, status=422)
    if request.method == "POST" and not context["on"] and context["form"].is_valid():
        try:
            context["spare"] = codes.switch_on(user, context["form"].cleaned_data["code"], now=now)
            context["on"] = True
        except ChargepathError as error:
            context["form"].add_error("code", str(error))
    if not context["on"]:
        device = codes.prepared(user)
        context |= {"key": presenters.spaced_key(device), "picture": codes.picture_of(device)}
        status = 422 if context["form"].errors else 200
    return render(request, "people/codes.html", context, status=status)


@posts(Right.PEOPLE)
def people(request: HttpRequest) -> HttpResponse:
    """Everybody, and somebody new."""
    user = signed_in(request)
    require(user, Right.PEOPLE)
    form = PersonForm(request.POST or None)
    made: tuple[User, str] | None = None
    if request.method == "POST" and form.is_valid():
        try:
            made = actions.add_person(**form.cleaned_data, user=user, now=timezone.now())
            form = PersonForm()
        except ChargepathError as error:
            form.add_error("username", str(error))
    context = {"form": form, "people": presenters.people_rows(), "made": made, "link": _whole(request, made)}
    return render(request, "people/people.html", context, status=422 if form.errors else 200)


def _whole(request: HttpRequest, made: tuple[User, str] | None) -> str:
    return request.build_absolute_uri(made[1]) if made else ""


@posts(Right.PEOPLE)
def person(request: HttpRequest, pk: int) -> HttpResponse:
    """One person: role, initials, on or off, and what was changed when."""
    user = signed_in(request)
    require(user, Right.PEOPLE)
    found = get_object_or_404(User, pk=pk)
    form = ChangePersonForm(
        request.POST or None, initial={"initials": found.initials, "role": found.role, "active": found.is_active}
    )
    if request.method == "POST" and form.is_valid():
        try:
            actions.change_person(found, **form.cleaned_data, user=user, now=timezone.now())
        except ChargepathError as error:
            form.add_error(None, str(error))
        else:
            messages.success(request, f"{found.username} stored.")
            return redirect("people:people")
    return _person_page(request, found, form, None)


def _person_page(request: HttpRequest, found: User, form: ChangePersonForm, link: str | None) -> HttpResponse:
    context = {"person": found, "form": form, "changes": found.changes.select_related("by"), "link": link}
    return render(request, "people/person.html", context, status=422 if form.errors else 200)


@require_POST
@posts(Right.PEOPLE)
def reset(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a person's password away and show a one-time link."""
    user, found = signed_in(request), get_object_or_404(User, pk=pk)
    initial = {"initials": found.initials, "role": found.role, "active": found.is_active}
    form = ChangePersonForm(initial=initial)
    try:
        path = actions.reset_person(found, user=user, now=timezone.now())
    except ChargepathError as error:
        messages.warning(request, str(error))
        return redirect("people:person", found.pk)
    return _person_page(request, found, form, request.build_absolute_uri(path))


@require_GET
def rights(request: HttpRequest) -> HttpResponse:
    """Who may do what."""
    return render(request, "people/rights.html", presenters.rights_table())


@posts(Right.KEEP)
def keeping(request: HttpRequest) -> HttpResponse:
    """What only the owner sets."""
    user = signed_in(request)
    require(user, Right.KEEP)
    form = KeepingForm(request.POST or None, instance=Workshop.current())
    if request.method == "POST" and form.is_valid():
        actions.store_keeping(form.instance, user=user, now=timezone.now())
        messages.success(request, "Stored.")
        return redirect("people:keeping")
    context = {"form": form, "changes": presenters.workshop_changes()}
    return render(request, "people/keeping.html", context, status=422 if form.errors else 200)
