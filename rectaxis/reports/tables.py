"""Lists of fleets, of a fleet's vehicles and of its reports: they sort and page, and nothing is cut in silence."""

from __future__ import annotations

from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString
from django_tables2 import Column, DateColumn, Table

from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.models import Job

A_PAGE = 50


class FleetTable(Table):  # type: ignore[misc] # it ships no types
    """The customers."""

    name = Column(verbose_name="Fleet", linkify=True)
    yard = Column()

    class Meta:
        model = Fleet
        fields = ("name", "yard")
        empty_text = "No fleet is entered yet."
        order_by = "name"


class ReportTable(Table):  # type: ignore[misc] # as above
    """A fleet's closed jobs."""

    planned_at = DateColumn(verbose_name="Day", format="j F Y")
    vehicle = Column(accessor="vehicle__unit", verbose_name="Vehicle")
    report = Column(accessor="pk", orderable=False)

    class Meta:
        model = Job
        fields = ("planned_at", "vehicle")
        prefix = "reports-"
        empty_text = "No report yet. The first appears when a job is handed over."
        order_by = "-planned_at"

    def render_report(self, record: Job) -> SafeString:
        """The way to the report, saying what sort it is."""
        what = "ended early" if record.status == Job.Status.ENDED else "before and after"
        address = reverse("reports:page", kwargs={"pk": record.pk})
        return format_html('<a href="{}">{}, {}</a>', address, record.vehicle.unit, what)


class VehicleTable(Table):  # type: ignore[misc] # as above
    """A fleet's vehicles, as the fleet sees them."""

    unit = Column()
    registration = Column()
    make = Column(verbose_name="Make and model")
    last_visit = DateColumn(verbose_name="Last visit", format="j F Y", default="none")

    class Meta:
        model = Vehicle
        fields: tuple[str, ...] = ("unit", "registration", "make", "last_visit")
        prefix = "vehicles-"
        empty_text = "No vehicle is entered yet."
        order_by = "unit"

    def render_make(self, record: Vehicle) -> str:
        return f"{record.make} {record.model}"


class WorkedVehicleTable(VehicleTable):
    """The same for those who work here: each leads to its page, and to a visit."""

    unit = Column(linkify=True)
    plan = Column(accessor="pk", orderable=False)

    class Meta(VehicleTable.Meta):
        fields = (*VehicleTable.Meta.fields, "plan")

    def render_plan(self, record: Vehicle) -> SafeString:
        """The way to planning a visit."""
        address = f"{reverse('day:new')}?vehicle={record.pk}"
        return format_html(
            '<a href="{}">Plan a visit<span class="visually-hidden"> to {}</span></a>', address, record.unit
        )
