"""Signing in and out."""

from django.contrib.auth.views import LoginView, LogoutView


class SignIn(LoginView):
    """Sign in."""

    template_name = "people/sign_in.html"
    redirect_authenticated_user = True


class SignOut(LogoutView):
    """Sign out (POST)."""
