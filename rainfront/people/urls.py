"""Addresses of signing in and out."""

from django.urls import path

from rainfront.people import views

app_name = "people"
urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="sign_in"),
    path("sign-out/", views.SignOut.as_view(), name="sign_out"),
]
