"""Addresses of the frame."""

from django.urls import path

from rainfront.web import views

app_name = "web"
urlpatterns = [path("guide/", views.guide_page, name="guide")]
