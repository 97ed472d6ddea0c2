"""Visits, what was typed in them, what was turned, and what was sealed."""

from django.conf import settings
from django.db import models
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit


class Job(Record):
    """A visit. It copies layout, specification and kit as they were, so that later edits never change its report."""

    class Status(models.TextChoices):
        PLANNED = "planned", "planned"
        OPEN = "open", "in hand"
        PAUSED = "paused", "paused"
        DONE = "done", "handed over"
        ENDED = "ended", "ended early"

    vehicle = models.ForeignKey(Vehicle, on_delete=models.PROTECT, related_name="jobs")
    kit = models.ForeignKey(Kit, on_delete=models.PROTECT, null=True, related_name="jobs")
    technician = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="jobs")
    planned_at = models.DateTimeField()
    asked = models.CharField("what was asked", max_length=200, blank=True)
    status = models.CharField(max_length=8, choices=Status.choices, default=Status.PLANNED)
    layout = models.JSONField()
    specification = models.JSONField()
    rig = models.JSONField("kit as it was")
    odometer_was = models.FloatField("odometer at the last visit, km", null=True, blank=True)
    simulation = models.JSONField("simulated vehicle behind a demo job", null=True, blank=True)
    history = HistoricalRecords(excluded_fields=["simulation"])

    class Meta:
        ordering = ["planned_at"]
        indexes = [models.Index(fields=["technician", "planned_at"]), models.Index(fields=["vehicle", "-planned_at"])]

    def __str__(self) -> str:
        return f"{self.vehicle} on {self.planned_at:%d %B %Y}"

    @property
    def closed(self) -> bool:
        """Whether its record stays as it is."""
        return self.status in (self.Status.DONE, self.Status.ENDED)


class Added(Record):
    """Something that is only ever added, by someone, at a time. Its key orders it in time."""

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="%(class)s_set")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        abstract = True


class Entry(Added):
    """What was typed in one slot. The browser makes the key, so that a repeated save is harmless."""

    slot = models.CharField(max_length=120)
    typed = models.CharField(max_length=2000, blank=True)
    value = models.FloatField(null=True)

    class Meta:
        indexes = [models.Index(fields=["job", "slot", "-id"])]

    def __str__(self) -> str:
        return f"{self.slot}: {self.typed}"


class Move(Added):
    """An adjuster that was moved from one position to another, and what that changes by its dimensions alone (by path)."""

    axle = models.PositiveSmallIntegerField()
    adjuster = models.CharField(max_length=100)
    start = models.CharField(max_length=20)
    end = models.CharField(max_length=20)
    effect = models.JSONField()
    undoes = models.OneToOneField("self", on_delete=models.PROTECT, null=True, blank=True, related_name="undone_by")

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["job", "id"])]

    def __str__(self) -> str:
        return f"{self.adjuster}: from {self.start} to {self.end}"


class Taught(Record):
    """What the moves on one vehicle taught of a family of adjusters, kept for its model: the share of the nominal effect."""

    make = models.CharField(max_length=40)
    model = models.CharField(max_length=40)
    family = models.CharField(max_length=300)
    share = models.FloatField()
    u = models.FloatField()
    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="taught")

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["job", "family"], name="a_job_teaches_a_family_once")]
        indexes = [models.Index(fields=["make", "model", "-id"], name="jobs_taught_model_idx")]

    def __str__(self) -> str:
        return f"{self.make} {self.model}, {self.family}"


class Seal(Added):
    """A phase as it was when it was saved: job file, results, and the core's version that solved it.

    A reading corrected later makes a further ``revision``, with its ``reason``; the earlier ones stay.
    """

    revision = models.PositiveSmallIntegerField(default=1)
    reason = models.CharField(max_length=300, blank=True)
    phase = models.CharField(max_length=6, choices=[("before", "before"), ("after", "after")])
    job_file = models.JSONField()
    results = models.JSONField()
    sentences = models.JSONField(default=list)
    core_version = models.CharField(max_length=20)
    digest = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["job", "phase", "revision"], name="a_revision_is_sealed_once")]

    def __str__(self) -> str:
        return f"{self.phase} of {self.job_id}"


class Event(Added):
    """Something that happened to the job as a whole: paused, taken up again, ended early, handed over."""

    what = models.CharField(max_length=20)
    text = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.what}: {self.text}"


class Photo(Added):
    """A photo of something, by the slot that it belongs to. The picture itself is stored once, by its content."""

    slot = models.CharField(max_length=120)
    digest = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    removed = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["job", "id"])]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> str:
        """Where its picture lies in the store."""
        return f"photos/{self.digest[:2]}/{self.digest}.jpg"


class Mark(Added):
    """Damage seen on the walk round: where on the outline, as shares of the drawing, and what."""

    x = models.FloatField()
    y = models.FloatField()
    what = models.CharField(max_length=200)
    removed = models.BooleanField(default=False)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.what
