"""What a seal keeps of a job, as frozen types: everything that a report says, by code, by value, and in the words of then.

A report is made from this and from nothing that is worked out later: one of last year stays as it was with a newer core.
"""

from __future__ import annotations

import datetime as dt
import hashlib
from collections.abc import Iterable
from typing import Any

import msgspec

from alignment.jobfile.rigs import moved_down
from rectaxis.drawing.strips import Judged, Words
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job, Seal

VERSION = 1


class Answered(msgspec.Struct, frozen=True):
    """The answer to a question, by its slot: the code or text kept, and its words. ``why`` is the reason asked for."""

    label: str
    typed: str
    said: str
    why: str = ""


class Found(msgspec.Struct, frozen=True):
    """A cause that the program proposed, how sure it was, and what the technician said to it (codes)."""

    code: str
    sure: str
    said: str
    opinion: str


class Passed(msgspec.Struct, frozen=True):
    """A gate that was passed, with the reason given and by whom; both empty where it was gone on without."""

    code: str
    said: str
    reason: str
    by: str


class Chosen(msgspec.Struct, frozen=True):
    """Something that the technician chose, or the usual where nothing was chosen."""

    code: str
    said: str


class Moved(msgspec.Struct, frozen=True):
    """A move of an adjuster."""

    adjuster: str
    start: str
    end: str
    said: str
    by: str
    at: dt.datetime


class OfOne(msgspec.Struct, frozen=True):
    """A text about one adjuster: what it was tightened to, or why it was left alone."""

    adjuster: str
    name: str
    typed: str


class LeftOut(msgspec.Struct, frozen=True):
    """What was unsafe or could not be done: the question's slot, the answer's code, both in words, and the reason.

    ``part`` is what is unsafe by its name, empty for what could not be done.
    """

    slot: str
    code: str
    said: str
    why: str
    part: str = ""


class Advised(msgspec.Struct, frozen=True):
    """A piece of advice, and the day by which to follow it (as a date, empty for none)."""

    said: str
    due: str


class Marked(msgspec.Struct, frozen=True):
    """Damage that was there."""

    key: str
    said: str


class Photographed(msgspec.Struct, frozen=True):
    """A photo that belongs to the report."""

    key: str
    slot: str
    name: str
    digest: str
    width: int
    height: int
    caption: str = ""


class Section(msgspec.Struct, frozen=True):
    """A heading and sentences."""

    code: str
    title: str
    lines: tuple[str, ...]


class Subject(msgspec.Struct, frozen=True, kw_only=True):
    """What the job was about and with what it was measured, as they were called then."""

    unit: str
    fleet: str
    make: str
    model: str
    registration: str
    day: dt.date
    technician: str
    kit: str
    serial: str = ""
    certified_until: dt.date | None
    figures: str
    figures_source: str
    toe_only: bool
    vin: str = ""
    asked: str = ""
    group: str = ""
    """Its kind, for the drawing: car, van, truck, bus, trailer."""
    duals: tuple[int, ...] = ()
    """Its axles with twin wheels."""


class Sender(msgspec.Struct, frozen=True):
    """The business that did the work, as it called itself then; ``logo`` is the digest of its picture, ``zone`` its time zone."""

    name: str
    address: str = ""
    contact: str = ""
    logo: str = ""
    words: str = ""
    """What it wants said at the end of every report."""
    dates: str = "j F Y"
    """How it writes a day, in Django's letters."""
    zone: str = "UTC"


class Measured(msgspec.Struct, frozen=True):
    """An angle that was determined, judged or not: of which axle, its name, and its value with its uncertainty by angle style."""

    title: str
    label: str
    quantity: str
    before: Words = {}
    after: Words = {}


class Corner(msgspec.Struct, frozen=True):
    """One wheel of a set-up sheet: where it is, its angles by angle style, and lines of other things, each with a name."""

    axle: int
    side: str
    name: str
    angles: tuple[tuple[str, Words], ...] = ()
    lines: tuple[tuple[str, str], ...] = ()


class SetUp(msgspec.Struct, frozen=True):
    """How a competition car stands as it leaves: its corners from the front, left before right, and what is not a corner's."""

    corners: tuple[Corner, ...]
    whole: tuple[tuple[str, Words], ...] = ()


class ReadOff(msgspec.Struct, frozen=True):
    """A number that was read: in which phase, at which scale, as it was understood, and the serial number of a device that read it."""

    phase: str
    scale: str
    said: str
    device: str = ""


STROKES = tuple[tuple[tuple[float, float], ...], ...]
"""Lines of a signature, each of points."""


class Signed(msgspec.Struct, frozen=True):
    """A signature: for whom (by code), its name, when, its lines as shares of a field, and whether just this was signed.

    Not ``same`` is one after which something was noted, moved or read.
    """

    whose: str
    name: str
    at: dt.datetime
    strokes: STROKES
    same: bool = True


class Fit(msgspec.Struct, frozen=True):
    """Whether the alignment is in order: the code of ``alignment/judge/fitness.py``, the answer in words, and what it rests on."""

    code: str
    head: str
    said: str


class Leaving(msgspec.Struct, frozen=True):
    """What leaving the vehicle as it is costs, as ranges, and what the ranges rest on."""

    lines: tuple[str, ...]
    assumptions: tuple[str, ...]


class Statement(msgspec.Struct, frozen=True, kw_only=True):
    """Everything that a report says, as of the time when it was sealed."""

    version: int = VERSION
    subject: Subject
    phase: str
    number: str = ""
    sender: Sender | None = None
    ended: str = ""
    found: Fit | None = None
    left: Fit | None = None
    """As found and as left; None where nothing was sealed of it, and in statements of before it was said."""
    leaving: Leaving | None = None
    judged: tuple[Judged, ...] = ()
    checked: str = ""
    """When and where the kit passed its self-check, where that was not in this visit."""
    followed: tuple[str, ...] = ()
    """What became of the last visit's advice."""
    confirmed: tuple[str, ...] = ()
    """The axles of which readings of the after were taken while setting, and confirmed after tightening."""
    terms: tuple[tuple[str, str], ...] = ()
    """What the words for the judged angles mean."""
    sentences: dict[str, dict[str, tuple[str, ...]]] = {}
    answers: dict[str, Answered] = {}
    tyres: tuple[tuple[str, tuple[str, ...]], ...] = ()
    looked: tuple[Answered, ...] = ()
    """The parts that were looked over, how the vehicle stood, and the ground."""
    findings: tuple[Found, ...] = ()
    sections: tuple[Section, ...] = ()
    gates: tuple[Passed, ...] = ()
    reference: Chosen
    school: Chosen
    moves: tuple[Moved, ...] = ()
    tightened: tuple[OfOne, ...] = ()
    left_alone: tuple[OfOne, ...] = ()
    still_outside: tuple[Words, ...] = ()
    left_out: tuple[LeftOut, ...] = ()
    advice: tuple[Advised, ...] = ()
    marks: tuple[Marked, ...] = ()
    photos: tuple[Photographed, ...] = ()
    read: tuple[ReadOff, ...] = ()
    measured: tuple[Measured, ...] = ()
    """Every angle that was determined."""
    set_up: SetUp | None = None
    """Of a car that competes, once a phase of it is sealed."""
    signatures: tuple[Signed, ...] = ()

    @property
    def to_sign(self) -> str:
        """The digest of what is signed: all of this but what handing over adds."""
        signed = msgspec.structs.replace(self, number="", ended="", gates=(), signatures=(), phase="")
        return hashlib.sha256(msgspec.json.encode(signed)).hexdigest()

    def as_json(self) -> dict[str, Any]:
        """Plain data, as a seal keeps it."""
        found: dict[str, Any] = msgspec.to_builtins(self)
        return found

    @classmethod
    def from_json(cls, data: object) -> Statement:
        """**Raises** RecordError for data that is no statement."""
        try:
            return msgspec.convert(data, cls)
        except msgspec.ValidationError as error:
            raise RecordError(f"What is sealed cannot be read: {error}") from None


def sealed_statement(job: Job) -> Statement | None:
    """The newest statement sealed in a job; None where there is none."""
    newest = Seal.objects.filter(job=job, statement__isnull=False).order_by("-sequence").first()
    return None if newest is None else Statement.from_json(newest.statement)


def readings_of(seals: Iterable[Seal]) -> list[dict[str, Any]]:
    """The readings of several seals in one list, as one job file has them."""
    found: list[dict[str, Any]] = []
    for seal in seals:
        found += moved_down(seal.job_file["readings"], len(found))
    return found
