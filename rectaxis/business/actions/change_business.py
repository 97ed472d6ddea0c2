"""Change what the business says of itself."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from rectaxis.business.models import Business
from rectaxis.common.locks import locking
from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User
from rectaxis.record.pictures import keep_picture, written_anew


@transaction.atomic
def change_business(person: User, logo: bytes | None = None, *, without_logo: bool = False, **words: Any) -> Business:
    """The business as it is from now on; sealed reports keep what they say. ``logo`` is a picture's file.

    **Raises** PermissionDenied, ValidationError, PictureError.
    """
    demand(allowed=may_manage(person))
    Business.objects.get_or_create(pk=Business.ONLY)
    business = locking(Business).get(pk=Business.ONLY)
    for name, value in words.items():
        setattr(business, name, value)
    if without_logo:
        business.logo = ""
    if logo is not None:
        picture = written_anew(logo)
        keep_picture(picture)
        business.logo = picture.digest
    business.full_clean()
    business.save()
    return business
