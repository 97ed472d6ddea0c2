"""Addresses of vehicles over the years."""

from django.urls import path

from rectaxis.years import fleet_views, views

app_name = "years"
urlpatterns = [
    path("vehicles/<uuid:pk>/years/", views.vehicle, name="vehicle"),
    path("fleets/<uuid:pk>/years/", fleet_views.fleet, name="fleet"),
    path("fleets/<uuid:pk>/years/vehicles.<str:ending>", fleet_views.as_file, name="fleet-file"),
    path("fleets/<uuid:pk>/years/prices/", fleet_views.reckon_with, name="reckon-with"),
    path("vehicles/<uuid:pk>/note/", views.note, name="note"),
    path("specifications/<uuid:pk>/used/", views.used, name="used"),
    path("kits/agreement/", views.practice, name="practice"),
    path("notes/<uuid:pk>/drop/", views.drop, name="drop"),
    path("notes/<uuid:pk>/photo/", views.picture, name="picture"),
]
