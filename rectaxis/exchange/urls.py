"""Addresses of lists that are read in."""

from django.urls import path

from rectaxis.exchange import views

app_name = "exchange"
urlpatterns = [
    path("lists/", views.lists, name="lists"),
    path("lists/fleet/", views.bring, name="bring"),
    path("lists/<uuid:pk>/", views.one, name="list"),
    path("lists/<uuid:pk>/columns/", views.columns, name="columns"),
    path("lists/<uuid:pk>/take/", views.take, name="take"),
    path("fleets/<uuid:pk>/everything/", views.ask, name="ask"),
    path("everything/<uuid:pk>/", views.whole, name="whole"),
    path("everything/<uuid:pk>/fleet.zip", views.whole_file, name="whole-file"),
    path("lists/<uuid:pk>/undo/", views.undo, name="undo"),
]
