"""Addresses of what is measured inside."""

from django.urls import path

from rainfront.inside.views import hunt, photos, power, sheets

app_name = "inside"
urlpatterns = [
    path("jobs/<int:job>/inside/", sheets.inside_page, name="inside"),
    path("jobs/<int:job>/inside/sheets/", sheets.start, name="start"),
    path("jobs/<int:job>/inside/sheets/<int:pk>/", sheets.sheet_page, name="sheet"),
    path("jobs/<int:job>/inside/sheets/<int:pk>/point/", sheets.point, name="point"),
    path("jobs/<int:job>/inside/sheets/<int:pk>/readings/", sheets.points_log, name="points"),
    path("jobs/<int:job>/inside/sheets/<int:pk>/enter/", sheets.enter, name="enter"),
    path("jobs/<int:job>/inside/sheets/<int:pk>/keep/", sheets.keep, name="keep"),
    path("jobs/<int:job>/inside/sheets/<int:pk>/lift/", sheets.lift, name="lift"),
    path("jobs/<int:job>/inside/ladder/", power.ladder_page, name="ladder"),
    path("jobs/<int:job>/inside/supply/", power.supply_page, name="supply"),
    path("jobs/<int:job>/inside/supply/unplug/", hunt.hunt_page, name="hunt"),
    path("jobs/<int:job>/inside/supply/keep/", power.keep_supply, name="keep_supply"),
    path("jobs/<int:job>/inside/battery-lines/", power.sense_page, name="sense"),
    path("jobs/<int:job>/photos/", photos.add, name="add_photo"),
    path("jobs/<int:job>/photos/<int:pk>/", photos.photo_page, name="photo"),
    path("jobs/<int:job>/photos/<int:pk>/picture.jpg", photos.file, name="file"),
    path("jobs/<int:job>/photos/<int:pk>/marks/", photos.mark, name="mark"),
    path("jobs/<int:job>/photos/<int:pk>/marks/<int:number>/remove/", photos.unmark, name="unmark"),
    path("jobs/<int:job>/photos/<int:pk>/remove/", photos.remove, name="remove_photo"),
]
