"""Addresses of the instruments of the bench: pages of no job."""

from django.urls import path

from rainfront.instruments.views import bench

app_name = "bench"
urlpatterns = [
    path("instruments/", bench.bench_page, name="bench"),
    path("instruments/now/", bench.bench_now, name="bench_now"),
    path("instruments/values.json", bench.values, name="values"),
    path("instruments/steady.json", bench.steady, name="steady"),
    path("instruments/new/", bench.instrument_page, name="new_instrument"),
    path("instruments/find/", bench.find, name="find"),
    path("instruments/compare/", bench.compare, name="compare"),
    path("instruments/bridge.py", bench.bridge_out, name="bridge_out"),
    path("instruments/profiles/", bench.profiles_page, name="profiles"),
    path("instruments/profiles/<slug:profile>.toml", bench.profile_out, name="profile_out"),
    path("instruments/<int:pk>/", bench.instrument_page, name="instrument"),
    path("instruments/<int:pk>/calibrated/", bench.calibrated, name="calibrated"),
    path("instruments/<int:pk>/lines/", bench.lines_page, name="lines"),
    path("instruments/<int:pk>/try/", bench.try_out, name="try"),
]
