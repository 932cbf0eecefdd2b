"""Addresses of the shop's own numbers."""

from django.urls import path

from rainfront.workshop import own_views, photo_views, views

app_name = "workshop"
urlpatterns = [
    path("emergency/", views.emergency, name="emergency"),
    path("people/settings/", views.settings_page, name="settings"),
    path("knowledge/", views.knowledge, name="knowledge"),
    path("knowledge/change/", views.change, name="change"),
    path("knowledge/work/", views.work, name="work"),
    path("knowledge/own-steps/", own_views.own_steps, name="own_steps"),
    path("knowledge/own-steps/new/", own_views.own_step, name="new_own_step"),
    path("knowledge/own-steps/<int:pk>/", own_views.own_step, name="own_step"),
    path("knowledge/own-steps/<int:pk>/photo/", photo_views.photo, name="own_step_photo"),
    path("knowledge/own-steps/<int:pk>/picture/", photo_views.picture, name="own_step_picture"),
    path("knowledge/own-steps/<int:pk>/outline.svg", photo_views.outline, name="own_step_outline"),
    path("knowledge/own-steps/<int:pk>/place/", photo_views.place, name="place_own_step"),
    path("knowledge/own-steps/<int:pk>/mark/", photo_views.mark, name="mark_own_step"),
    path("knowledge/own-steps/<int:pk>/mark/<int:number>/back/", photo_views.unmark, name="unmark_own_step"),
    path("knowledge/own-steps/<int:pk>/strike/", own_views.strike, name="strike_own_step"),
    path("knowledge/wire/", views.wire, name="wire"),
    path("knowledge/changes/<int:pk>/undo/", views.undo, name="undo"),
    path("knowledge/checks/<slug:check>/", views.check, name="check"),
    path("knowledge/numbers/<slug:stem>/", views.general, name="general"),
    path("knowledge/<slug:fault>/", views.fault, name="fault"),
    path("costs/", views.costs, name="costs"),
    path("learned/", views.learned, name="learned"),
    path("learned/state/", views.set_learning, name="set_learning"),
    path("learned/learned.json", views.export, name="export"),
]
