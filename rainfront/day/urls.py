"""The address of the list of the day: the first page."""

from django.urls import path

from rainfront.day import views

app_name = "day"
urlpatterns = [path("", views.day, name="list")]
