"""Addresses of what goes in and out."""

from django.urls import path

from rainfront.exchange import casefiles, views

app_name = "exchange"
urlpatterns = [
    path("jobs/import/", casefiles.import_page, name="case"),
    path("jobs/<int:pk>/case.json", casefiles.export, name="case_file"),
    path("exchange/", views.exchange, name="exchange"),
    path("exchange/shop.zip", views.archive, name="archive"),
    path("exchange/shop/", views.bring_in, name="bring_in"),
    path("exchange/<slug:table>.<slug:kind>", views.take_out, name="table"),
    path("exchange/references/", views.references_in, name="references"),
    path("exchange/references/references.json", views.references_out, name="references_out"),
]
