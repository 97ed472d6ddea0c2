"""People who sign in."""

from django.contrib.auth.models import AbstractUser
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.utils.crypto import salted_hmac


class SideNames(models.TextChoices):
    """What the sides of a vehicle are called."""

    LEFT_RIGHT = "left-right", "Left and right"
    TRAFFIC_LEFT = "traffic-left", "Nearside (left) and offside: traffic keeps to the left"
    TRAFFIC_RIGHT = "traffic-right", "Nearside (right) and offside: traffic keeps to the right"


class User(AbstractUser):
    """A person with one role. A fleet viewer belongs to one fleet and sees nothing else."""

    class Role(models.TextChoices):
        TECHNICIAN = "technician", "Technician"
        OFFICE = "office", "Office"
        FLEET = "fleet", "Fleet viewer"

    class AngleStyle(models.TextChoices):
        DEGREES = "deg", "Degrees, 0.25°"
        MINUTES = "dms", "Degrees and minutes, 0°15'"
        PER_METRE = "mpm", "Toe in mm per metre, 4.4 mm/m; other angles in degrees"

    class PressureUnit(models.TextChoices):
        BAR = "bar", "bar"
        PSI = "psi", "psi"
        KPA = "kPa", "kPa"

    class LengthUnit(models.TextChoices):
        MM = "mm", "mm"
        INCHES = "in", "inches; scales are typed in what is printed on them"

    class Theme(models.TextChoices):
        DAY = "day", "Day"
        SUN = "sun", "Sun: black on white, heavier lines"
        NIGHT = "night", "Night"

    role = models.CharField(max_length=12, choices=Role.choices, default=Role.TECHNICIAN)
    fleet = models.ForeignKey("fleets.Fleet", on_delete=models.PROTECT, null=True, blank=True, related_name="viewers")
    asks = models.BooleanField("answers advice, asks for visits and asks questions", default=True)
    yards = ArrayField(
        models.CharField(max_length=120), default=list, blank=True, verbose_name="yards that they look after"
    )
    angle_style = models.CharField(max_length=3, choices=AngleStyle.choices, default=AngleStyle.DEGREES)
    pressure_unit = models.CharField(
        "pressure of tyres", max_length=3, choices=PressureUnit.choices, default=PressureUnit.BAR
    )
    length_unit = models.CharField(
        "results that are lengths, such as a setback", max_length=2, choices=LengthUnit.choices, default=LengthUnit.MM
    )
    side_names = models.CharField(
        "sides of a vehicle", max_length=13, choices=[("", "As in the business's reports"), *SideNames.choices],
        default="", blank=True,
    )  # fmt: skip
    single_keys = models.BooleanField("single keys as shortcuts, such as 1 to 9 for the stages", default=True)
    theme = models.CharField(max_length=5, choices=Theme.choices, default=Theme.DAY)
    sign_ins = models.PositiveIntegerField("how often they were signed out everywhere", default=0, editable=False)

    class Meta:
        constraints = [
            models.CheckConstraint(
                condition=models.Q(role="fleet", fleet__isnull=False) | ~models.Q(role="fleet"),
                name="fleet_viewer_has_a_fleet",
            )
        ]

    def _get_session_auth_hash(self, secret: str | None = None) -> str:
        """What a session is good for: it ends with another password, and when its person is signed out everywhere."""
        made: str = super()._get_session_auth_hash(secret=secret)  # type: ignore[misc] # Django's own, for its two public ones
        if not self.sign_ins:
            return made
        return salted_hmac(
            "rectaxis.sign-ins", f"{made}/{self.sign_ins}", secret=secret, algorithm="sha256"
        ).hexdigest()

    @property
    def shown_name(self) -> str:
        return self.get_full_name() or self.username
