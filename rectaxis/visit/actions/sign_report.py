"""Sign what a report says, on the screen."""

from __future__ import annotations

import json

from rectaxis.business.words import in_words_of_the_business
from rectaxis.common.keys import made_key
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job, Signature
from rectaxis.record.writing import known, writing
from rectaxis.visit.fields import plain_text
from rectaxis.visit.statement import statement_of
from rectaxis.visit.visit import Visit

LONGEST_NAME, MOST_POINTS, FEWEST_POINTS = 80, 4000, 4


class SignatureError(RecordError):
    """A signature that cannot be taken; the text says why."""


def sign_report(person: User, job: Job, key: object, whose: str, name: str, strokes: str) -> Signature:
    """Keep a signature with what the report says now. The same key twice is one; signing anew replaces what one signed before.

    ``strokes`` are lines of points [across, down] as JSON, shares of the field. **Raises** PermissionDenied, RecordError.
    """
    with writing(person, job) as book:
        made, name = made_key(key), plain_text(name, LONGEST_NAME)
        if whose not in Signature.Whose.values:
            raise SignatureError("Say who signs: the customer or the technician.")
        if not name:
            raise SignatureError("Type the name of who signs.")
        lines = _lines(strokes)
        there = known(Signature, made, book.job)
        if there is not None:
            return there
        with in_words_of_the_business():
            signed = statement_of(Visit(book.job)).to_sign
        return book.add(Signature(pk=made, whose=whose, name=name, strokes=lines, signed=signed))


def _lines(strokes: str) -> list[list[list[float]]]:
    try:
        lines = [[[round(float(x), 3), round(float(y), 3)] for x, y in line] for line in json.loads(strokes)]
    except (ValueError, TypeError):
        lines = []
    points = [share for line in lines for point in line for share in point]
    if not FEWEST_POINTS * 2 <= len(points) <= MOST_POINTS * 2 or not all(0 <= share <= 1 for share in points):
        raise SignatureError("Draw the signature in the field.")
    return lines
