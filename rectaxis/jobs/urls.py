"""Addresses of the day and of a job."""

from django.urls import path

from rectaxis.jobs import views

app_name = "jobs"
urlpatterns = [
    path("", views.today, name="today"),
    path("jobs/new/", views.new, name="new"),
    path("jobs/read-in/", views.read_in, name="read-in"),
    path("jobs/<uuid:pk>/", views.job, name="job"),
    path("jobs/<uuid:pk>/entries/", views.entries, name="entries"),
    path("jobs/<uuid:pk>/scales/", views.scales, name="scales"),
    path("jobs/<uuid:pk>/moves/", views.moves, name="moves"),
    path("jobs/<uuid:pk>/seal/<slug:phase>/", views.seal, name="seal"),
    path("jobs/<uuid:pk>/finish/", views.finish, name="finish"),
    path("jobs/<uuid:pk>/<slug:stage>/", views.stage, name="stage"),
    path("jobs/<uuid:pk>/<slug:stage>/live/", views.live, name="live"),
]
