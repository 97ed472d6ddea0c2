"""What the demo's finished job carries besides numbers: a mark on the outline, and a photo drawn here."""

from __future__ import annotations

import io

from PIL import Image, ImageDraw
from uuid6 import uuid7

from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import of_damage
from rectaxis.visit.actions.add_photo import add_photo
from rectaxis.visit.actions.mark_damage import mark_damage


def drawn_photo() -> bytes:
    """A stand-in for a photo: a scratch on a panel, drawn."""
    picture = Image.new("RGB", (960, 640), (196, 199, 203))
    pen = ImageDraw.Draw(picture)
    pen.rectangle((0, 430, 960, 640), fill=(58, 60, 66))
    pen.ellipse((90, 330, 370, 610), fill=(34, 34, 38))
    pen.ellipse((160, 400, 300, 540), fill=(142, 146, 150))
    for step in range(14):
        pen.line((430 + 30 * step, 300 - 6 * step, 470 + 30 * step, 288 - 6 * step), fill=(120, 40, 70), width=5)
    out = io.BytesIO()
    picture.save(out, "JPEG", quality=85)
    return out.getvalue()


def mark_and_photograph(person: User, job: Job) -> None:
    """Mark a scratch and keep its photo."""
    mark = mark_damage(person, job, uuid7(), 0.9, 0.72, "scratch along the left rear sill")
    add_photo(person, job, str(of_damage(mark.pk)), "left-rear-sill.jpg", drawn_photo())
