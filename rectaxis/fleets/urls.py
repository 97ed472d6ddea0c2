"""Addresses of entering fleets and vehicles."""

from django.urls import path

from rectaxis.fleets import adjuster_views, views

app_name = "fleets"
urlpatterns = [
    path("fleets/new/", views.new_fleet, name="new-fleet"),
    path("fleets/<uuid:pk>/new-vehicle/", views.new_vehicle, name="new-vehicle"),
    path("find/<uuid:pk>/adjusters/", adjuster_views.adjusters, name="adjusters"),
]
