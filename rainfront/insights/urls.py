"""Addresses of insights."""

from django.urls import path

from rainfront.insights import views

app_name = "insights"
urlpatterns = [
    path("insights/", views.insights, name="insights"),
    path("insights/<slug:figures>.csv", views.take_out, name="csv"),
]
