"""All addresses."""

from django.urls import include, path

urlpatterns = [
    path("", include("rainfront.day.urls")),
    path("", include("rainfront.jobs.urls")),
    path("", include("rainfront.work.urls")),
    path("", include("rainfront.proof.urls")),
    path("", include("rainfront.instruments.urls")),
    path("", include("rainfront.instruments.bench_urls")),
    path("", include("rainfront.inside.urls")),
    path("", include("rainfront.board.urls")),
    path("", include("rainfront.heat.urls")),
    path("", include("rainfront.cell.urls")),
    path("", include("rainfront.counter.urls")),
    path("", include("rainfront.logbook.urls")),
    path("", include("rainfront.insights.urls")),
    path("", include("rainfront.exchange.urls")),
    path("", include("rainfront.reference.urls")),
    path("", include("rainfront.workshop.urls")),
    path("", include("rainfront.stock.urls")),
    path("", include("rainfront.keeping.urls")),
    path("people/", include("rainfront.people.urls")),
    path("", include("rainfront.web.urls")),
]
handler400 = "rainfront.web.errors.bad_request"
handler403 = "rainfront.web.errors.forbidden"
handler404 = "rainfront.web.errors.not_found"
handler500 = "rainfront.web.errors.server_error"
