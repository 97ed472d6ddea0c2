"""Letters that tell a person that how they sign in has changed."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver
from uuid6 import uuid7

from rectaxis.business.models import the_business
from rectaxis.people.models import User
from rectaxis.people.signals import person_told
from rectaxis.post.write import write_to


@receiver(person_told)
def tell_person(told: User, words: str, **_: Any) -> None:
    """Write to whoever has an address."""
    if not told.email:
        return
    name = the_business().name
    body = f"Dear {told.shown_name},\n\n{words}\n\nIf you did not expect this, tell the office at once.\n\n{name}\n"
    subject = "How you sign in has changed"
    write_to(told.email, f"told/{told.pk}/{uuid7()}", f"{name}: {subject}" if name else subject, body, None)
