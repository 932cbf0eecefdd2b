"""Addresses of records, meters and routines."""

from django.urls import path

from rainfront.instruments.views import live, proof, records, supply

app_name = "instruments"
urlpatterns = [
    path("jobs/<int:job>/outside/", records.outside_page, name="outside"),
    path("jobs/<int:job>/records/hand-in/", records.hand_in, name="hand_in"),
    path("jobs/<int:job>/records/drafts/<int:pk>/", records.confirm_page, name="confirm"),
    path("jobs/<int:job>/records/<int:pk>/", records.record_page, name="record"),
    path("jobs/<int:job>/records/<int:pk>/data.json", records.record_data, name="data"),
    path("jobs/<int:job>/records/<int:pk>/still.svg", records.still, name="still"),
    path("jobs/<int:job>/records/<int:pk>/use/", records.use, name="use"),
    path("jobs/<int:job>/records/<int:pk>/columns/", records.columns_page, name="columns"),
    path("jobs/<int:job>/records/<int:pk>/strike/", records.strike, name="strike"),
    path("jobs/<int:job>/records/<int:pk>/conditions/", records.conditions, name="conditions"),
    path("jobs/<int:job>/records/<int:pk>/known-good/", records.known_good, name="known_good"),
    path("jobs/<int:job>/live/", live.start, name="start"),
    path("jobs/<int:job>/records/<int:pk>/live/", live.live_page, name="live"),
    path("jobs/<int:job>/records/<int:pk>/tail.json", live.tail, name="tail"),
    path("jobs/<int:job>/records/<int:pk>/stop/", live.stop, name="stop"),
    path("jobs/<int:job>/routines/<slug:routine>/", live.routine_page, name="routine"),
    path("jobs/<int:job>/wait/", live.wait_page, name="wait"),
    path("jobs/<int:job>/prove/meter/", proof.start, name="proof_start"),
    path("jobs/<int:job>/prove/meter/<int:pk>/", proof.watch, name="proof_watch"),
    path("meter/command/", live.meter_command, name="command"),
    path("supply/", supply.supply_page, name="supply"),
    path("supply/now/", supply.now, name="supply_now"),
    path("supply/pretend/", supply.pretend, name="pretend"),
]
