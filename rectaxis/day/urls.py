"""Addresses of the day."""

from django.urls import path

from rectaxis.day import views

app_name = "day"
urlpatterns = [
    path("", views.today, name="today"),
    path("help/", views.help_page, name="help"),
    path("find/", views.find, name="find"),
    path("find/<uuid:pk>/", views.vehicle, name="find-vehicle"),
    path("jobs/new/", views.new, name="new"),
    path("jobs/new/kits/", views.kits_for, name="kits-for"),
    path("jobs/<uuid:pk>/plan/", views.change, name="change"),
    path("jobs/read-in/", views.read_in, name="read-in"),
]
