"""The stages as a Django app."""

from django.apps import AppConfig


class StagesConfig(AppConfig):
    """The lowest room with an app above the visit, which is none."""

    name = "rectaxis.stages"

    def ready(self) -> None:
        """Let visits follow what is changed below them."""
        from rectaxis.visit import waiting  # noqa: F401 - importing it connects its receiver
