"""Addresses of vehicles over the years."""

from django.urls import path

from rectaxis.years import views

app_name = "years"
urlpatterns = [
    path("vehicles/<uuid:pk>/years/", views.vehicle, name="vehicle"),
    path("vehicles/<uuid:pk>/note/", views.note, name="note"),
    path("notes/<uuid:pk>/drop/", views.drop, name="drop"),
    path("notes/<uuid:pk>/photo/", views.picture, name="picture"),
]
