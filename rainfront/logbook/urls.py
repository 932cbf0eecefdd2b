"""Addresses of the logbook."""

from django.urls import path

from rainfront.logbook import views

app_name = "logbook"
urlpatterns = [
    path("models/", views.models_page, name="models"),
    path("models/<path:name>/", views.model_page, name="model"),
    path("logbook/", views.logbook, name="logbook"),
    path("logbook/keep/", views.save, name="save"),
    path("logbook/keep/<int:pk>/remove/", views.forget, name="forget"),
]
