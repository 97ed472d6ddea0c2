"""What every page knows of the program."""

from django.conf import settings
from django.http import HttpRequest

import alignment


def program(_request: HttpRequest) -> dict[str, object]:
    """Demo mode, where its letters are read, and the core's version."""
    return {"demo": settings.DEMO, "mailbox": settings.MAILBOX, "core_version": alignment.__version__}
