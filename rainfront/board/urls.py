"""Addresses of boards."""

from django.urls import path

from rainfront.board.views import jobs, maps, naming, pictures

app_name = "board"
urlpatterns = [
    path("boards/", maps.maps, name="maps"),
    path("boards/read/", maps.read, name="read"),
    path("boards/read/<int:pk>/", maps.confirm, name="confirm"),
    path("boards/begin/", maps.begin, name="begin"),
    path("boards/<int:pk>/", maps.map_page, name="map"),
    path("boards/<int:pk>/remove/", maps.remove, name="remove"),
    path("boards/<int:pk>/out.json", maps.take_out, name="take_out"),
    path("boards/<int:pk>/<slug:digest>.json", maps.data, name="data"),
    path("boards/<int:pk>/near/", maps.near, name="near"),
    path("boards/<int:pk>/landings/", maps.landings, name="landings"),
    path("boards/<int:pk>/points/", maps.point, name="point"),
    path("boards/<int:pk>/naming/", naming.naming, name="naming"),
    path("boards/<int:pk>/naming/said/", naming.say, name="say"),
    path("boards/<int:pk>/naming/tie/", naming.tie, name="tie"),
    path("boards/<int:pk>/naming/cover/", naming.cover, name="cover"),
    path("boards/<int:pk>/naming/back/", naming.take_back, name="take_back"),
    path("boards/<int:pk>/pictures/", pictures.add, name="add_picture"),
    path("boards/<int:board>/pictures/<int:pk>/", pictures.lay, name="lay"),
    path("boards/<int:board>/pictures/<int:pk>/picture.jpg", pictures.picture, name="picture"),
    path("boards/<int:board>/pictures/<int:pk>/remove/", pictures.remove, name="remove_picture"),
    path("jobs/<int:job>/board/", jobs.job_page, name="job"),
    path("jobs/<int:job>/board/photos/<int:pk>/", jobs.lay_photo, name="lay_photo"),
]
