"""Addresses of what keeps the data."""

from django.urls import path

from rainfront.keeping import views

app_name = "keeping"
urlpatterns = [
    path("people/backups/", views.backups, name="backups"),
    path("people/first-things/", views.first_things, name="first_things"),
    path("health/", views.health, name="health"),
    path("health/here/", views.here, name="here"),
]
