"""Addresses of the counter."""

from django.urls import path

from rainfront.counter.views import before, dropoff, erase, orders, papers, redact

app_name = "counter"
urlpatterns = [
    path("jobs/<int:job>/redact/", redact.redact, name="redact"),
    path("jobs/<int:job>/erase/", erase.erase_page, name="erase"),
    path("jobs/<int:job>/counter/", orders.order_page, name="order"),
    path("jobs/<int:job>/drop-off/", dropoff.drop_off, name="drop_off"),
    path("jobs/<int:job>/counter/total/", orders.total, name="total"),
    path("jobs/new/before/", before.before, name="before"),
    path("owed/", orders.owed_page, name="owed"),
    path("jobs/<int:job>/papers/label.pdf", papers.label, name="label"),
    path("jobs/<int:job>/papers/promised.ics", papers.calendar, name="calendar"),
    path("jobs/<int:job>/papers/ready.eml", papers.mail, name="mail"),
    path("jobs/<int:job>/papers/<slug:kind>/", papers.page, name="paper"),
    path("jobs/<int:job>/papers/<slug:kind>/<int:pk>/", papers.page, name="quote"),
    path("jobs/<int:job>/papers/<slug:kind>.pdf", papers.pdf, name="pdf"),
    path("jobs/<int:job>/papers/<slug:kind>/<int:pk>.pdf", papers.pdf, name="quote_pdf"),
]
