"""Addresses of specifications."""

from django.urls import path

from rectaxis.specs import views

app_name = "specs"
urlpatterns = [path("specifications/new/", views.new, name="new")]
