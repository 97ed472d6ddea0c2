"""Addresses of entering fleets and vehicles."""

from django.urls import path

from rectaxis.fleets import adjuster_views, views

app_name = "fleets"
urlpatterns = [
    path("fleets/new/", views.new_fleet, name="new-fleet"),
    path("fleets/<uuid:pk>/new-vehicle/", views.new_vehicle, name="new-vehicle"),
    path("fleets/<uuid:pk>/change/", views.edit_fleet, name="edit-fleet"),
    path("find/<uuid:pk>/change/", views.edit_vehicle, name="edit-vehicle"),
    path("find/<uuid:pk>/adjusters/", adjuster_views.adjusters, name="adjusters"),
]
