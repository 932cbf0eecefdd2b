"""Address of the shelf."""

from django.urls import path

from rainfront.stock import views

app_name = "stock"
urlpatterns = [path("stock/", views.shelf, name="shelf")]
