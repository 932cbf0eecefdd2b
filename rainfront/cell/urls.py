"""Addresses of the cell desk."""

from django.urls import path

from rainfront.cell import views

app_name = "cell"
urlpatterns = [
    path("cell/", views.plan, name="plan"),
    path("jobs/<int:job>/cell/", views.desk, name="desk"),
    path("jobs/<int:job>/cell/<int:pk>/", views.run_page, name="run"),
    path("jobs/<int:job>/cell/<int:pk>/stop/", views.stop, name="stop"),
]
