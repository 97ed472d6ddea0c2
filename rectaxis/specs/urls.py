"""Addresses of specifications."""

from django.urls import path

from rectaxis.specs import views

app_name = "specs"
urlpatterns = [
    path("specifications/", views.figures, name="figures"),
    path("specifications/new/", views.new, name="new"),
    path("specifications/<uuid:pk>/", views.edit, name="edit"),
    path("specifications/<uuid:pk>/delete/", views.delete, name="delete"),
]
