"""Visits, what was typed in them, what was turned, and what was sealed."""

from hashlib import blake2b

from django.conf import settings
from django.db import models
from django.db.models import Q
from simple_history.models import HistoricalRecords

from rectaxis.common.models import Record
from rectaxis.fleets.models import Vehicle
from rectaxis.kits.models import Kit
from rectaxis.record.pictures import path_of


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
    further_kits = models.ManyToManyField(Kit, blank=True, related_name="beside")
    technician = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="jobs")
    planned_at = models.DateTimeField()
    asked = models.CharField("what was asked", max_length=200, blank=True)
    status = models.CharField(max_length=8, choices=Status.choices, default=Status.PLANNED)
    layout = models.JSONField()
    specification = models.JSONField()
    rig = models.JSONField("kit as it was")
    odometer_was = models.FloatField("odometer at the last visit, km", null=True, blank=True)
    simulation = models.JSONField("simulated vehicle behind a demo job", null=True, blank=True)
    report_number = models.CharField("number of its report", max_length=24, blank=True, editable=False)
    added = models.PositiveBigIntegerField("how many things were added to its record", default=0, editable=False)
    # Its copies are the job's own and change no more once something is read: a copy of them with each change would fill the disk.
    history = HistoricalRecords(excluded_fields=["simulation", "added", "layout", "specification", "rig"])

    class Meta:
        ordering = ["planned_at"]
        indexes = [
            models.Index(fields=["technician", "planned_at"]),
            models.Index(fields=["vehicle", "-planned_at"]),
            models.Index(fields=["planned_at", "id"], name="jobs_by_time"),
            # Few of many: what is still to be done.
            models.Index(
                fields=["planned_at"], condition=Q(status__in=["planned", "open", "paused"]), name="jobs_not_closed"
            ),
        ]

    def __str__(self) -> str:
        return f"{self.vehicle} on {self.planned_at:%d %B %Y}"

    @property
    def kits(self) -> list[Kit]:
        """Its kits, the first one first; none for a job file that was read in."""
        return [] if self.kit is None else [self.kit, *self.further_kits.all()]

    @property
    def closed(self) -> bool:
        """Whether its record stays as it is."""
        return self.status in CLOSED

    @property
    def version(self) -> str:
        """Changes with whatever is added to the record, and with the copies the job holds: two alike show the same."""
        shown = (self.added, self.status, self.layout, self.specification, self.rig)
        return blake2b(repr(shown).encode(), digest_size=12).hexdigest()


OPEN = (Job.Status.PLANNED, Job.Status.OPEN, Job.Status.PAUSED)
"""Statuses of a job that is still to be done."""
CLOSED = (Job.Status.DONE, Job.Status.ENDED)
"""Statuses in which a job's record stays as it is."""


class Added(Record):
    """Something that is only ever added, by someone, at a time.

    Its ``sequence`` orders it among all that was added to its job: the server gives it in the transaction that holds the
    job's lock. Its key may be made in a browser; it recognises a repeat and orders nothing. ``device_at`` is what that
    browser's clock said: information, which may be wrong by years.
    """

    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="%(class)s_set")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    sequence = models.PositiveBigIntegerField(editable=False)
    device_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        abstract = True
        constraints = [models.UniqueConstraint(fields=["job", "sequence"], name="%(class)s_has_its_place")]


class Entry(Added):
    """What was typed in one slot.

    The newest that ``counts`` stands. One does not count where it came from somebody who had not seen what then stood: it
    is kept, and its sender is told.
    """

    slot = models.CharField(max_length=200)
    typed = models.CharField(max_length=2000, blank=True)
    value = models.FloatField(null=True)
    counts = models.BooleanField(default=True)
    taken = models.JSONField("the device that it was taken from, and its samples", null=True, blank=True)

    class Meta(Added.Meta):
        indexes = [models.Index(fields=["job", "slot", "-sequence"])]

    def __str__(self) -> str:
        return f"{self.slot}: {self.typed}"


class Move(Added):
    """An adjuster that was moved from one position to another, and what that changes by its dimensions alone (by path).

    ``undoes`` is a move that this one turned back. One that ``strikes`` another says that it was mistyped and never made:
    then neither counts.
    """

    axle = models.PositiveSmallIntegerField()
    adjuster = models.CharField(max_length=100)
    start = models.CharField(max_length=20)
    end = models.CharField(max_length=20)
    effect = models.JSONField()
    undoes = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="undone_by")
    strikes = models.OneToOneField("self", on_delete=models.PROTECT, null=True, blank=True, related_name="struck_by")

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return f"{self.adjuster}: from {self.start} to {self.end}"


class Taught(Record):
    """What the moves on one vehicle taught of a family of adjusters, kept for it and its model: the share of the nominal effect.

    What is ``set_aside`` was thrown away: it stays on the record and does not count.
    """

    make = models.CharField(max_length=40)
    model = models.CharField(max_length=40)
    family = models.CharField(max_length=300)
    share = models.FloatField()
    u = models.FloatField()
    job = models.ForeignKey(Job, on_delete=models.PROTECT, related_name="taught")
    set_aside = models.BooleanField(default=False)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["job", "family"], name="a_job_teaches_a_family_once")]
        indexes = [models.Index(fields=["make", "model", "-id"], name="jobs_taught_model_idx")]

    def __str__(self) -> str:
        return f"{self.make} {self.model}, {self.family}"


class Shot(Added):
    """Pictures that the cameras of a rig took at one moment; ``move`` says what was done since the one before.

    ``rig`` is what the device said of its cameras and targets, ``found`` by camera what was seen in its picture, and
    ``pictures`` by camera the picture's digest. It is there before its pictures are: ``wanted`` cameras have not sent theirs.
    """

    class Move(models.TextChoices):
        ROLL = "roll", "rolled"
        SWEEP = "sweep", "steered"
        STILL = "still", "as it stands"

    phase = models.CharField(max_length=7)
    move = models.CharField(max_length=5, choices=Move.choices)
    rig = models.JSONField()
    taken = models.JSONField("the device")
    found = models.JSONField(default=dict)
    pictures = models.JSONField(default=dict)
    faults = models.JSONField("what is wrong with a picture, by camera", default=dict)
    removed = models.BooleanField(default=False)

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return f"{self.get_move_display()} ({self.phase})"

    @property
    def wanted(self) -> list[str]:
        """The cameras whose pictures have not come yet."""
        return [
            one["id"] for one in self.rig["cameras"] if one["id"] not in self.found and one["id"] not in self.faults
        ]

    def as_shot(self) -> dict[str, object]:
        """As the core takes it."""
        return {"id": str(self.pk), "move": self.move, "found": self.found}


class Sighting(Added):
    """What pictures told of all wheels together: ``readings`` as a job file has them, without their phase.

    It is of the moment at which its ``newest_shot`` was taken, by that shot's place in the order; it may be worked out later.
    """

    phase = models.CharField(max_length=7)
    readings = models.JSONField()
    wheels = models.JSONField(default=list)
    warnings = models.JSONField(default=list)
    taken = models.JSONField("the device and its shots", null=True)
    newest_shot = models.PositiveBigIntegerField(null=True)

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return f"pictures ({self.phase})"

    @property
    def moment(self) -> int:
        """Where in the order the vehicle stood as it says."""
        return self.sequence if self.newest_shot is None else self.newest_shot


class Seal(Added):
    """A phase as it was when it was saved: job file, results, and the core's version that solved it.

    ``statement`` is what a report says (``record/seal.py``): codes, values and words as they were then. The ``visit`` is
    sealed when it is handed over or ended: it has a statement and no readings of its own. A reading corrected later makes a further ``revision``, with its ``reason``; the earlier ones stay.
    """

    revision = models.PositiveSmallIntegerField(default=1)
    reason = models.CharField(max_length=300, blank=True)
    phase = models.CharField(max_length=7, choices=[(phase, phase) for phase in ("before", "after", "visit")])
    job_file = models.JSONField()
    results = models.JSONField()
    sentences = models.JSONField("what the results said, by angle style", default=dict)
    statement = models.JSONField(null=True)
    core_version = models.CharField(max_length=20)
    digest = models.CharField(max_length=64, db_index=True)

    class Meta(Added.Meta):
        constraints = [
            *Added.Meta.constraints,
            models.UniqueConstraint(fields=["job", "phase", "revision"], name="a_revision_is_sealed_once"),
        ]

    def __str__(self) -> str:
        return f"{self.phase} of {self.job_id}"


class Link(models.Model):
    """A seal's place in the chain of all seals (``record/chain.py``). It names its seal without leaning on it, so that one that is gone is missed."""

    number = models.PositiveBigIntegerField(primary_key=True)
    seal = models.UUIDField(unique=True)
    at = models.DateTimeField()
    mac = models.CharField(max_length=64)

    class Meta:
        ordering = ["number"]

    def __str__(self) -> str:
        return f"link {self.number}"


class Event(Added):
    """Something that happened to the job as a whole: ``what`` is the status that it was given."""

    what = models.CharField(max_length=20, choices=Job.Status.choices)
    text = models.CharField(max_length=300, blank=True)

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return f"{self.said}: {self.text}"

    @property
    def said(self) -> str:
        """In words: what became of the job. One that is open again was taken up again."""
        return "taken up again" if self.what == Job.Status.OPEN else str(Job.Status(self.what).label)


class Photo(Added):
    """A photo of something, by the slot that it belongs to. The picture itself is stored once, by its content."""

    slot = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    removed = models.BooleanField(default=False)

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return self.name

    @property
    def path(self) -> str:
        """Where its picture lies in the store."""
        return path_of(self.digest)


class Mark(Added):
    """Damage seen on the walk round: where on the outline, as shares of the drawing, and what."""

    x = models.FloatField()
    y = models.FloatField()
    what = models.CharField(max_length=200)
    removed = models.BooleanField(default=False)

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return self.what


class Signature(Added):
    """A name that was signed on the screen: ``strokes`` are lines of points, as shares of a field three times as wide as high.

    ``signed`` is the digest of what the report said then.
    """

    class Whose(models.TextChoices):
        CUSTOMER = "customer", "the customer"
        TECHNICIAN = "technician", "the technician"

    whose = models.CharField(max_length=10, choices=Whose.choices)
    name = models.CharField(max_length=80)
    strokes = models.JSONField()
    signed = models.CharField(max_length=64)

    class Meta(Added.Meta):
        ordering = ["sequence"]

    def __str__(self) -> str:
        return f"{self.name}, for {self.get_whose_display()}"
