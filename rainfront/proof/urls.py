"""Addresses of the proof of a job, its seal tests, and closing it."""

from django.urls import path

from rainfront.proof.views import finish, proof, seal

app_name = "proof"
urlpatterns = [
    path("jobs/<int:pk>/prove/", proof.prove_page, name="prove"),
    path("jobs/<int:pk>/prove/read/", proof.read, name="read"),
    path("jobs/<int:pk>/prove/again/", proof.again, name="again"),
    path("jobs/<int:pk>/prove/failed/", proof.failed, name="failed"),
    path("jobs/<int:pk>/seal/", seal.seal_page, name="seal"),
    path("jobs/<int:pk>/close/", finish.close_page, name="close"),
    path("jobs/<int:pk>/refer/", finish.refer_page, name="refer"),
    path("jobs/<int:pk>/cancel/", finish.cancel_page, name="cancel"),
    path("jobs/<int:pk>/reopen/", finish.reopen, name="reopen"),
]
