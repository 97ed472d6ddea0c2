"""The letters' app."""

from django.apps import AppConfig


class PostConfig(AppConfig):
    """Listens to jobs that are closed."""

    name = "rectaxis.post"
    default_auto_field = "django.db.models.BigAutoField"

    def ready(self) -> None:
        """Listen to what happens below."""
        from rectaxis.post import rules, told  # noqa: F401 - importing them connects their receivers
