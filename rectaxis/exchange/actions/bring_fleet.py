"""Have a fleet's whole data taken that another installation wrote."""

from __future__ import annotations

from django.core.files.storage import default_storage
from django.core.files.uploadedfile import UploadedFile
from django.db import transaction
from procrastinate.contrib.django import app

from rectaxis.exchange.bring import MOST_BYTES, BringError
from rectaxis.exchange.models import Import
from rectaxis.people.access import demand, may_manage
from rectaxis.people.models import User


@transaction.atomic
def bring_fleet(person: User, file: UploadedFile[bytes]) -> Import:
    """The worker takes it; what becomes of it is told by what is answered here. **Raises** PermissionDenied, BringError."""
    demand(allowed=may_manage(person))
    size = file.size or 0
    if size > MOST_BYTES:
        raise BringError(f"Expected at most {MOST_BYTES // 1_000_000} MB, got {size / 1e6:.0f} MB.")
    made = Import.objects.create(
        kind="fleet", file_name=str(file.name)[:120], table=[[]], status=Import.Status.WAITING, by=person
    )
    default_storage.save(f"imports/{made.pk}.zip", file)
    app.configure_task("bring_fleet").defer(key=str(made.pk))
    return made
