"""Asking the worker for something."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued


def ask_once(task: str, lock: str, **given: Any) -> None:
    """Ask the worker for a task with what it is ``given``, unless one with the same ``lock`` waits already. A transaction around it goes on."""
    try:
        with transaction.atomic():
            app.configure_task(task, queueing_lock=lock).defer(**given)
    except AlreadyEnqueued:
        return
