"""Addresses of signing in and out, and of people."""

from django.urls import path

from rainfront.people import views

app_name = "people"
urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="sign_in"),
    path("sign-out/", views.SignOut.as_view(), name="sign_out"),
    path("begin/<uidb64>/<token>/", views.Begin.as_view(), name="begin"),
    path("password/", views.password, name="password"),
    path("time-codes/", views.time_codes, name="time_codes"),
    path("rights/", views.rights, name="rights"),
    path("keeping/", views.keeping, name="keeping"),
    path("all/", views.people, name="people"),
    path("<int:pk>/", views.person, name="person"),
    path("<int:pk>/reset/", views.reset, name="reset"),
]
