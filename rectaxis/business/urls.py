"""Addresses of the business."""

from django.urls import path

from rectaxis.business import views

app_name = "business"
urlpatterns = [
    path("business/", views.business, name="business"),
    path("business/program/", views.state, name="state"),
    path("metrics/", views.counted, name="metrics"),
    path("business/logo.jpg", views.logo, name="logo"),
]
