"""Addresses of the shelf."""

from django.urls import path

from rainfront.stock import bench_views, views

app_name = "stock"
urlpatterns = [
    path("stock/", views.shelf, name="shelf"),
    path("stock/bench/", bench_views.bench, name="bench"),
    path("stock/<int:pk>/", views.item_page, name="item"),
    path("stock/donors/", views.donor, name="donor"),
    path("stock/shelf.csv", views.take_out, name="export"),
    path("stock/import/", views.bring_in, name="import"),
]
