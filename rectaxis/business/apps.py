"""The business as a Django app."""

from django.apps import AppConfig


class BusinessConfig(AppConfig):
    """Its name says all."""

    name = "rectaxis.business"
