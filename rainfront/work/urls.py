"""Addresses of the work on a job."""

from django.urls import path

from rainfront.work.views import photo, screws, steps

app_name = "work"
urlpatterns = [
    path("jobs/<int:pk>/repair/lay-out/", steps.layout, name="layout"),
    path("jobs/<int:pk>/repair/", steps.repair_page, name="repair"),
    path("jobs/<int:pk>/repair/step/", steps.step, name="step"),
    path("jobs/<int:pk>/repair/answer/", steps.answer, name="step_answer"),
    path("jobs/<int:pk>/repair/way/", steps.pick, name="pick"),
    path("jobs/<int:pk>/screws/", screws.screws_page, name="screws"),
    path("jobs/<int:pk>/screws/photo/", photo.open_photo, name="open_photo"),
    path("work/photos/<int:pk>/<slug:which>.jpg", photo.picture, name="picture"),
    path("jobs/<int:pk>/screws/outline.svg", screws.outline, name="outline"),
]
