"""The record as a Django app."""

from django.apps import AppConfig


class RecordConfig(AppConfig):
    """Its label is the name that its tables and migrations had from the first: existing databases migrate as they are."""

    name = "rectaxis.record"
    label = "jobs"
    verbose_name = "Record"

    def ready(self) -> None:
        """Listen to what is changed below."""
        from rectaxis.record import chain, waiting  # noqa: F401 - importing them connects their receivers
