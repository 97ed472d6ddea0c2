"""Addresses of devices."""

from django.urls import path

from rectaxis.devices import calibrating, checking, views

app_name = "devices"
urlpatterns = [
    path("kits/<uuid:pk>/devices/", views.kit, name="kit"),
    path("kits/<uuid:pk>/targets-<slug:paper>.pdf", views.targets, name="targets"),
    path("kits/<uuid:pk>/devices/feed/", views.feed, name="feed"),
    path("devices/<uuid:pk>/ask/", views.ask, name="ask"),
    path("devices/<uuid:pk>/calibrate/", calibrating.calibrate, name="calibrate"),
    path("devices/<uuid:pk>/self-check/", checking.check, name="check"),
    path("devices/<uuid:pk>/part/", views.part, name="part"),
]
