"""Addresses of kits."""

from django.urls import path

from rectaxis.kits import views

app_name = "kits"
urlpatterns = [
    path("kits/", views.kits, name="kits"),
    path("kits/new/", views.new, name="new"),
    path("kits/<uuid:pk>/", views.edit, name="edit"),
]
