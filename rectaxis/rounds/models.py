"""Places, ferries, who works when, the visits that are wanted, and the plans that were made of them."""

from __future__ import annotations

import datetime as dt

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from planning.model import Urgency
from rectaxis.common.models import Record
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.record.models import Job

WORKDAYS = [0, 1, 2, 3, 4]


def workdays() -> list[int]:
    """Monday to Friday, 0 being Monday."""
    return [*WORKDAYS]


def _days(label: str) -> ArrayField[list[int], list[int]]:
    return ArrayField(models.PositiveSmallIntegerField(), default=workdays, verbose_name=label)


class Place(Record):
    """Somewhere on the map: a fleet's yard, a technician's home, a port. A yard is what ``Vehicle.stands_at`` names, in its fleet."""

    class Kind(models.TextChoices):
        YARD = "yard", "yard"
        HOME = "home", "home"
        PORT = "port", "port"

    class Ground(models.TextChoices):
        UNKNOWN = "", "not known"
        LEVEL = "level", "level"
        SLOPING = "sloping", "sloping: level the tools or measure the ground"
        SOFT = "soft", "soft: no aligner stands on it"

    class Signal(models.TextChoices):
        UNKNOWN = "", "not known"
        GOOD = "good", "good"
        WEAK = "weak", "weak"
        NONE = "none", "none"

    kind = models.CharField("what it is", max_length=4, choices=Kind.choices, default=Kind.YARD)
    fleet = models.ForeignKey(
        Fleet, on_delete=models.PROTECT, null=True, blank=True, related_name="places", verbose_name="whose yard"
    )
    name = models.CharField(max_length=120)
    island = models.CharField("island, or part of the land that roads join", max_length=60, blank=True)
    north = models.FloatField("degrees north", validators=[MinValueValidator(-90), MaxValueValidator(90)])
    east = models.FloatField("degrees east", validators=[MinValueValidator(-180), MaxValueValidator(180)])
    opens = models.TimeField(null=True, blank=True)
    closes = models.TimeField(null=True, blank=True)
    days = _days("days on which it is open")
    closed = ArrayField(
        models.DateField(), default=list, blank=True, verbose_name="days on which it is closed all the same"
    )
    unpack = models.PositiveSmallIntegerField(
        "minutes to set up there", default=10, validators=[MaxValueValidator(240)]
    )
    ground = models.CharField(max_length=8, choices=Ground.choices, blank=True)
    tilt = models.CharField("tilt of the ground as it was measured last", max_length=60, blank=True)
    power = models.BooleanField("has mains power", default=False)
    signal = models.CharField("telephone signal", max_length=4, choices=Signal.choices, blank=True)
    contact = models.CharField("who opens, and their telephone", max_length=120, blank=True)
    ready = models.CharField("when vehicles stand ready, and how many", max_length=160, blank=True)

    class Meta:
        ordering = ["kind", "name"]
        constraints = [
            models.UniqueConstraint(fields=["kind", "fleet", "name"], name="a_place_once", nulls_distinct=False)
        ]

    def __str__(self) -> str:
        return self.name


class Road(Record):
    """How long a road takes between two places, where that is known better than by the distance."""

    origin = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="+")
    target = models.ForeignKey(Place, on_delete=models.CASCADE, related_name="+")
    minutes = models.PositiveSmallIntegerField(validators=[MaxValueValidator(1440)])

    class Meta:
        constraints = [models.UniqueConstraint(fields=["origin", "target"], name="a_road_once")]

    def __str__(self) -> str:
        return f"{self.origin} to {self.target}: {self.minutes} min"


class Ferry(Record):
    """A line between two ports, with its departures on some days of the week."""

    origin = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="ferries_out", verbose_name="from")
    target = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="ferries_in", verbose_name="to")
    departs = ArrayField(models.TimeField(), verbose_name="departures")
    days = _days("days on which it goes")
    minutes = models.PositiveSmallIntegerField(
        "minutes on the water", validators=[MinValueValidator(1), MaxValueValidator(1440)]
    )
    check_in = models.PositiveSmallIntegerField(
        "minutes before it leaves to be in port", default=15, validators=[MaxValueValidator(240)]
    )
    capacity = models.PositiveSmallIntegerField(
        "how many of our vans it takes", default=1, validators=[MinValueValidator(1)]
    )
    books_until = models.PositiveIntegerField(
        "hours before it leaves when booking closes, empty where nothing is booked",
        null=True,
        blank=True,
        validators=[MaxValueValidator(168)],
    )

    class Meta:
        ordering = ["origin__name", "target__name"]

    def __str__(self) -> str:
        return f"{self.origin} to {self.target}"


class Sailing(Record):
    """What is other than the time table on one day: a departure that is cancelled, or on which places are booked."""

    ferry = models.ForeignKey(Ferry, on_delete=models.CASCADE, related_name="sailings")
    day = models.DateField()
    departs = models.TimeField()
    cancelled = models.BooleanField(default=False)
    booked = models.PositiveSmallIntegerField("places booked for our vans", default=0)

    class Meta:
        ordering = ["day", "departs"]
        constraints = [models.UniqueConstraint(fields=["ferry", "day", "departs"], name="a_sailing_once")]

    def __str__(self) -> str:
        return f"{self.ferry}, {self.day} {self.departs:%H:%M}"


class Crew(Record):
    """When somebody works, from which home, with what in the van."""

    person = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="crew")
    home = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="+")
    starts = models.TimeField("work begins", default=dt.time(7, 30))
    ends = models.TimeField("work ends", default=dt.time(17))
    days = _days("days of work")
    pause = models.PositiveSmallIntegerField("minutes of break", default=30, validators=[MaxValueValidator(180)])
    pause_from = models.TimeField("break begins at the earliest", default=dt.time(11, 30))
    pause_until = models.TimeField("and at the latest", default=dt.time(13, 30))
    skills = ArrayField(models.CharField(max_length=40), default=list, blank=True, verbose_name="has learned")
    kits = models.ManyToManyField(Kit, blank=True, related_name="vans", verbose_name="kits in the van")
    stock = models.JSONField("parts in the van", default=dict, blank=True)
    calendar = models.CharField(
        "digest of the secret of their calendar's address", max_length=64, blank=True, editable=False
    )

    class Meta:
        ordering = ["person__username"]

    def __str__(self) -> str:
        return str(self.person.shown_name)


class Absence(Record):
    """When somebody is away, typed or from a calendar; ``uid`` is that of the calendar's entry."""

    crew = models.ForeignKey(Crew, on_delete=models.CASCADE, related_name="absences")
    starts = models.DateTimeField()
    ends = models.DateTimeField()
    why = models.CharField("why", max_length=120, blank=True)
    uid = models.CharField(max_length=300, blank=True, editable=False)

    class Meta:
        ordering = ["starts"]
        constraints = [
            models.CheckConstraint(condition=models.Q(ends__gt=models.F("starts")), name="an_absence_has_a_length"),
            models.UniqueConstraint(
                fields=["crew", "uid"], condition=~models.Q(uid=""), name="an_entry_of_a_calendar_once"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.crew}: {self.why or 'away'}"


class Call(Record):
    """A visit that is wanted: in the tray until it has a ``job``, and then what is arranged of that job.

    ``source`` says where it came from, by a code and a key that are the same for the same want. A person's wishes bind the next plan:
    ``only`` by whom, ``on`` which day, ``at`` what time of that day. ``told`` is the time that somebody was told.
    """

    class Source(models.TextChoices):
        PERSON = "person", "typed by a person"
        REPORT = "report", "its next day, from the report"
        DRIFT = "drift", "its drift over the years"
        ADVICE = "advice", "advice of its report"
        ASKED = "asked", "asked for by the fleet"

    vehicle = models.ForeignKey(Vehicle, on_delete=models.PROTECT, related_name="calls")
    job = models.OneToOneField(Job, on_delete=models.PROTECT, null=True, blank=True, related_name="call")
    source = models.CharField(max_length=8, choices=Source.choices, default=Source.PERSON)
    source_key = models.CharField(max_length=120, blank=True)
    asked = models.CharField("what is wanted", max_length=200, blank=True)
    urgency = models.CharField(
        "how much it matters", max_length=8, default=Urgency.DUE,
        choices=[("unsafe", "unsafe: before others"), ("promised", "promised"), ("due", "due"), ("wish", "when there is time")],
    )  # fmt: skip
    by = models.DateField("on time until", null=True, blank=True)
    kit = models.ForeignKey(Kit, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    scope = models.CharField(
        max_length=4, default="all", choices=[("all", "everything that the kit reads"), ("toe", "toe in front only")]
    )
    minutes = models.PositiveSmallIntegerField(
        "minutes, if other than usual", null=True, blank=True, validators=[MinValueValidator(5), MaxValueValidator(720)]
    )
    ready_from = models.TimeField("stands ready from", null=True, blank=True)
    ready_until = models.TimeField("until", null=True, blank=True)
    skill = models.CharField("what one must have learned for it", max_length=40, blank=True)
    needs = models.JSONField("parts that it is likely to need", default=dict, blank=True)
    only = models.ForeignKey(
        settings.AUTH_USER_MODEL,
        on_delete=models.PROTECT,
        null=True,
        blank=True,
        related_name="+",
        verbose_name="only by",
    )
    on = models.DateField("only on", null=True, blank=True)
    at = models.TimeField("exactly at", null=True, blank=True)
    takes = ArrayField(models.PositiveSmallIntegerField(), default=list, blank=True, editable=False)
    why = models.CharField(max_length=600, blank=True, editable=False)
    told = models.DateTimeField(null=True, blank=True, editable=False)
    set_aside = models.BooleanField(default=False, editable=False)
    added_by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["added_at", "id"]
        indexes = [
            models.Index(fields=["added_at"], condition=models.Q(job=None, set_aside=False), name="calls_in_the_tray")
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["source", "source_key"], condition=~models.Q(source_key=""), name="a_want_once"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.vehicle}: {self.asked}"

    @property
    def key(self) -> str:
        """What the planner and the pages call it while it is in the tray."""
        return f"call/{self.pk}"

    @property
    def wished(self) -> bool:
        """Whether a person has set by whom, on which day or at what time."""
        return bool(self.only_id or self.on or self.at)


class Run(Record):
    """A plan that is made, or was: what it is made from, the plan, and what became of it."""

    class Status(models.TextChoices):
        WAITING = "waiting", "waits for the worker"
        MAKING = "making", "being made"
        READY = "ready", "ready to be used"
        USED = "used", "used"
        DROPPED = "dropped", "not used"
        FAILED = "failed", "failed"

    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    first = models.DateField()
    last = models.DateField()
    days = models.JSONField("what it is made from")
    unplaced = models.JSONField("visits of which the place is not known", default=list)
    plan = models.JSONField(null=True)
    more = models.JSONField("what more hours or vans would bring", default=list)
    changes = models.JSONField("what changes of what was said", default=list)
    again = models.BooleanField("made in the middle of a day", default=False)
    status = models.CharField(max_length=8, choices=Status.choices, default=Status.WAITING)
    share = models.PositiveSmallIntegerField("percent done", default=0)
    enough = models.BooleanField("what there is is taken", default=False)
    said = models.CharField("why it failed", max_length=300, blank=True)
    seconds = models.PositiveSmallIntegerField(default=10)

    class Meta:
        ordering = ["-at"]

    def __str__(self) -> str:
        return f"Plan of {self.first}"

    @property
    def under_way(self) -> bool:
        """Whether the worker still has it."""
        return self.status in (self.Status.WAITING, self.Status.MAKING)
