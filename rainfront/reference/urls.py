"""Addresses of references."""

from django.urls import path

from rainfront.reference import views

app_name = "reference"
urlpatterns = [
    path("references/", views.overview, name="overview"),
    path("references/import/", views.bring_in, name="import"),
    path("references/export.csv", views.take_out, name="export"),
    path("references/board/", views.board, name="board"),
    path("references/forget/", views.forget, name="forget"),
    path("references/meters/new/", views.meter_page, name="new_meter"),
    path("references/meters/<int:pk>/", views.meter_page, name="meter"),
    path("references/connectors/new/", views.connector_page, name="new_connector"),
    path("references/maps/<slug:map_id>/", views.map_page, name="map"),
]
