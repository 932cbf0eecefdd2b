"""Addresses of the heat desk."""

from django.urls import path

from rainfront.heat import views

app_name = "heat"
urlpatterns = [
    path("heat/", views.desk, name="desk"),
    path("heat/plate/", views.plate, name="plate"),
    path("heat/stations/", views.stations, name="stations"),
    path("heat/stations/<int:pk>/", views.station, name="station"),
    path("heat/stations/<int:pk>/gone/", views.give_away, name="give_away"),
    path("heat/melts/<int:pk>/strike/", views.strike, name="strike"),
]
