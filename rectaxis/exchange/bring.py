"""A fleet's whole data, as this program writes it, into another installation: what is there already is not doubled."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
import zlib
from typing import IO, Any

from django.core.exceptions import ValidationError
from django.db import DataError, IntegrityError, transaction
from PIL import Image

from rectaxis.exchange.records import Ours, RecordsError, keep_notes, keep_visit
from rectaxis.exchange.shown import check_can_be_shown
from rectaxis.exchange.whole import FORMAT, VERSION
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.post.models import Contact
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.pictures import Picture, keep_picture
from rectaxis.record.unpack import MOST_PIXELS
from rectaxis.reports.sheets import meant

MOST_BYTES, MOST_UNPACKED = 500_000_000, 4_000_000_000
Json = dict[str, Any]


class BringError(RecordError):
    """A file that is not taken; the text says why. Nothing of it was taken."""


def bring_whole(file: IO[bytes], person: User) -> str:
    """Take a fleet's whole data, all or nothing; answers with what was new, in words. **Raises** BringError."""
    try:
        with zipfile.ZipFile(file) as folder:
            manifest = _checked(folder)
            with transaction.atomic():
                return _Bringing(folder, manifest, person).everything()
    except BringError:
        raise
    except (RecordsError, DataError, IntegrityError) as error:
        raise BringError(f"Nothing was taken: {error}.") from None
    except _NO_FLEET as error:
        raise BringError(f"This is no file of a fleet's whole data that this program wrote: {error}.") from None


_NO_FLEET = (
    zipfile.BadZipFile,
    zlib.error,
    RuntimeError,
    NotImplementedError,
    ValueError,
    KeyError,
    TypeError,
    AttributeError,
    ValidationError,
)
"""What reading a file that somebody else made, or spoiled, ends in."""


def _checked(folder: zipfile.ZipFile) -> Json:
    """The manifest, once every file is as it says."""
    if sum(one.file_size for one in folder.infolist()) > MOST_UNPACKED:
        raise BringError("It unpacks to more than any fleet's data needs.")
    manifest: Json = json.loads(folder.read("manifest.json"))
    if manifest.get("format") != FORMAT:
        raise BringError("Expected a fleet's whole data, as this program writes it.")
    if manifest.get("version") != VERSION:
        raise BringError(
            f"Expected version {VERSION} of that format, got {manifest.get('version')}: bring both programs up to date."
        )
    for name, digest in manifest["files"].items():
        with folder.open(name) as one:
            if hashlib.file_digest(one, "sha256").hexdigest() != digest:  # type: ignore[arg-type] # it reads like a file
                raise BringError(f"{name} is not what its manifest says: take the file anew.")
    return manifest


class _Bringing:
    """One file that is taken."""

    def __init__(self, folder: zipfile.ZipFile, manifest: Json, person: User) -> None:
        self.folder, self.names, self.person = folder, list(manifest["files"]), person

    def everything(self) -> str:
        """Take all of it."""
        about = self._json("fleet.json")
        if not all(isinstance(about[name], str) for name in ("id", "name", "yard")):
            raise TypeError("fleet.json does not say its key, name and yard in words")
        fleet = Fleet.objects.filter(pk=about["id"]).first() or Fleet.objects.filter(name__iexact=about["name"]).first()
        fleet = fleet or Fleet.objects.create(pk=about["id"], name=about["name"][:80], yard=about["yard"][:120])
        before = fleet.vehicles.count()
        vehicles = self._vehicles(fleet)
        self._contacts(fleet)
        people = {int(key): self._person(one) for key, one in self._json("people.json").items()}
        ours = Ours(people, vehicles)
        visits = sum(self._visit(name, ours) for name in self._under("records/"))
        notes = keep_notes(self._json("notes.json"), ours)
        photos = [name for name in self._under("photos/") if self._photo(name)]
        return (
            f"{fleet.name}: {fleet.vehicles.count() - before} vehicles, {visits} visits and {notes} notes were new, "
            f"with {len(photos)} photos; what was here already is as it was."
        )

    def _visit(self, name: str, ours: Ours) -> bool:
        rows = self._json(name)
        new = keep_visit(rows, ours)
        if new:
            check_can_be_shown(Job.objects.select_related("vehicle__fleet").get(pk=rows[0]["pk"]))
        return new

    def _under(self, folder: str) -> list[str]:
        return [name for name in self.names if name.startswith(folder)]

    def _json(self, name: str) -> Any:
        return json.loads(self.folder.read(name))

    def _rows(self, name: str) -> list[dict[str, str]]:
        return list(csv.DictReader(io.StringIO(self.folder.read(name).decode("utf-8-sig"))))

    def _vehicles(self, fleet: Fleet) -> dict[str, Vehicle]:
        """Our vehicles by the keys in the file: the one of that key, else of that unit, else a new one."""
        layouts, found = self._json("vehicles.json"), {}
        for row in self._rows("vehicles.csv"):
            here = (
                fleet.vehicles.filter(pk=row["id"]).first() or fleet.vehicles.filter(unit__iexact=row["unit"]).first()
            )
            found[row["id"]] = here or self._vehicle(fleet, row, layouts[row["id"]])
        return found

    @staticmethod
    def _vehicle(fleet: Fleet, row: dict[str, str], layout: Json) -> Vehicle:
        words = {name: meant(row[name]) for name in ("unit", "registration", "vin", "make", "model", "yard")}
        made = Vehicle(
            pk=row["id"],
            fleet=fleet,
            layout=layout,
            year=int(row["year"]) if row["year"].isdecimal() else None,
            **words,
        )
        try:
            made.full_clean()
        except ValidationError as error:
            raise BringError(f"Nothing was taken: {row['unit']}: {' '.join(error.messages)}") from None
        made.save(force_insert=True)
        return made

    def _contacts(self, fleet: Fleet) -> None:
        """Contacts that are new; they get nothing by themselves until somebody says so."""
        for row in self._rows("contacts.csv"):
            if not fleet.contacts.filter(email__iexact=row["email"]).exists():
                Contact.objects.create(
                    fleet=fleet, name=row["name"][:80], email=row["email"], wants=Contact.Wants.NOTHING
                )

    def _person(self, one: Json) -> User:
        """Who did something: somebody here of the same name, else a name that nobody signs in by."""
        first, last = str(one["first"])[:150], str(one["last"])[:150]
        here = (
            User.objects.filter(first_name=first, last_name=last)
            .exclude(role=User.Role.FLEET)
            .order_by("-is_active", "pk")
            .first()
        )
        if here is not None:
            return here
        made = User(
            username=f"elsewhere-{one['key']}"[:150],
            first_name=first,
            last_name=last,
            role=User.Role.TECHNICIAN,
            is_active=False,
        )
        made.set_unusable_password()
        made.save()
        return made

    def _photo(self, name: str) -> bool:
        """A photo whose name is its digest, and which is one."""
        content = self.folder.read(name)
        try:
            with Image.open(io.BytesIO(content), formats=["JPEG"]) as image:
                size = image.size
                if size[0] * size[1] > MOST_PIXELS:
                    raise BringError(
                        f"Nothing was taken: {name} has more than {MOST_PIXELS // 1_000_000} million pixels."
                    )
                image.verify()
        except (OSError, SyntaxError):
            raise BringError(f"Nothing was taken: {name} is no photo.") from None
        picture = Picture(content, *size)
        if name != f"photos/{picture.digest}.jpg":
            raise BringError(f"Nothing was taken: {name} is not named by its digest.")
        keep_picture(picture)
        return True
