"""The day, and planning a visit."""

from __future__ import annotations

import datetime as dt
from typing import NamedTuple
from uuid import UUID

from django.contrib import messages
from django.db.models import Model, Q, QuerySet
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET

from alignment.errors import JobFileError
from alignment.jobfile import FORMAT, VERSION, parse
from alignment.judge.heights import one_each
from alignment.procedure.stages import STAGES
from alignment.words.terms import TERMS
from rectaxis.common.days import start_of
from rectaxis.common.fields import without_nul
from rectaxis.day.board import Board
from rectaxis.day.finding import found_vehicles
from rectaxis.day.forms import JobFileForm, NewJobForm, VisitForm
from rectaxis.day.picking import offered
from rectaxis.drawing.plan import PlanMaker, VehicleLook
from rectaxis.fleets.layout import Layout
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.fleets.vin import doubt
from rectaxis.kits.models import Kit
from rectaxis.people.access import demand, may_measure, may_work
from rectaxis.people.requests import Request
from rectaxis.record.errors import RecordError
from rectaxis.record.models import OPEN, Job
from rectaxis.specs.models import Specification
from rectaxis.visit.ability import Ability, of_all
from rectaxis.visit.actions.change_visit import change_visit
from rectaxis.visit.actions.open_job import copy_of_specification, open_job
from rectaxis.visit.actions.read_in_job_file import read_in_job_file
from rectaxis.visit.kits import KitError

MOST_ON_A_DAY, MOST_LEFT_OPEN = 60, 20
MOST_VISITS = 50


@require_GET
def today(request: Request) -> HttpResponse:
    """The visits of the day, and whether the kits are ready. A fleet viewer goes to their own fleet."""
    if not may_work(request.user):
        fleet = request.user.fleet
        return redirect(fleet.get_absolute_url() if fleet else "people:preferences")
    day = timezone.localdate()
    begins, ends = start_of(day), start_of(day + dt.timedelta(days=1))
    visits: QuerySet[Job] = Job.objects.filter(planned_at__gte=begins, planned_at__lt=ends).select_related(
        "vehicle__fleet", "technician"
    )
    earlier = Job.objects.filter(planned_at__lt=begins, status__in=OPEN).select_related("vehicle__fleet")
    board = Board.of(list(visits[:MOST_ON_A_DAY]), list(earlier[:MOST_LEFT_OPEN]), timezone.now())
    kits = [(kit, kit.certificate(day)) for kit in Kit.objects.filter(retired=False) if kit.needs_certificate(day)]
    begun = None if Job.objects.exists() else Begun.now()
    context = {"board": board, "begun": begun, "kits": kits, "day": day, "may_measure": may_measure(request.user)}
    return render(request, "day/today.html", context)


class Begun(NamedTuple):
    """What an empty program has by now, in the order in which a newcomer adds it."""

    kit: bool
    fleet: Fleet | None
    vehicle: bool
    figures: bool
    visit: bool

    @classmethod
    def now(cls) -> Begun:
        """As it stands."""
        fleet = Fleet.objects.order_by("pk").first()
        kinds: tuple[type[Model], ...] = (Kit, Vehicle, Specification, Job)
        kit, vehicle, figures, visit = (kind._default_manager.exists() for kind in kinds)
        return cls(kit, fleet, vehicle, figures, visit)


@require_GET
def help_page(request: Request) -> HttpResponse:
    """What the stages are, how to begin, and what the words mean."""
    demand(allowed=may_work(request.user))
    return render(request, "day/help.html", {"stages": STAGES, "terms": TERMS, "begun": Begun.now()})


@require_GET
def find(request: Request) -> HttpResponse:
    """Vehicles by unit, plate or VIN: the page, or while typing its results alone."""
    demand(allowed=may_work(request.user))
    words = without_nul(request.GET.get("q", ""))[:60]
    if request.htmx and "choose" in request.GET:
        return _offered(request)
    context = {"words": words, "vehicles": found_vehicles(words)}
    return render(request, "day/find_results.html" if request.htmx else "day/find.html", context)


def _offered(request: Request) -> HttpResponse:
    """The vehicles to be chosen from in a form's field."""
    name = request.GET["choose"][:40]
    words = without_nul(request.GET.get(f"{name}_words", ""))[:60]
    chosen = request.GET.get(name, "")
    kits = reverse("day:kits-for") if "kits" in request.GET else ""
    context = {"vehicles": offered(words, chosen), "name": name, "chosen": chosen, "kits": kits}
    return render(request, "day/picks.html", context)


@require_GET
def vehicle(request: Request, pk: UUID) -> HttpResponse:
    """One vehicle: what it is, its visits, and a new one."""
    demand(allowed=may_work(request.user))
    found = get_object_or_404(Vehicle.objects.select_related("fleet"), pk=pk)
    core = parse({"format": FORMAT, "version": VERSION, "vehicle": found.layout["vehicle"]}).vehicle
    look = VehicleLook(found.layout.get("group", "van"), frozenset(found.layout.get("duals", ())))
    context = {
        "vehicle": found,
        "plan": PlanMaker(core, None, look=look).draw(None, {}),
        "visits": found.jobs.select_related("technician").order_by("-planned_at")[:MOST_VISITS],
        "vin_doubt": doubt(found.vin) if found.vin else "",
        "abilities": _abilities(request, found),
    }
    return render(request, "day/vehicle.html", context)


def _abilities(request: Request, vehicle: Vehicle) -> list[Ability]:
    """Which kit can judge which of the vehicle's figures."""
    layout = Layout.from_json(vehicle.layout)
    rows = one_each(copy_of_specification(vehicle).rows)
    return of_all(parse(layout.as_document(spec=rows)), request.user.angle_style, layout.steering_ratio)


def new(request: Request) -> HttpResponse:
    """Plan a visit."""
    demand(allowed=may_work(request.user))
    form = NewJobForm(request.POST or None, initial={"vehicle": request.GET.get("vehicle"), "kit": _last_kit(request)})
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            made = open_job(
                request.user, data["vehicle"], data["kit"], data["planned_at"], data["asked"], scope=data["scope"],
                further=data.get("further", ()), key=data["key"],
            )  # fmt: skip
            return redirect("stages:job", pk=made.pk)
        except KitError as error:
            form.add_error("kit", str(error))
    context = {"form": form, "title": "Plan a visit", "abilities": _abilities_for(request, form["vehicle"].value())}
    return render(request, "day/new.html", context, status=422 if form.errors else 200)


@require_GET
def kits_for(request: Request) -> HttpResponse:
    """Which kit can judge the vehicle that is being chosen for a visit."""
    demand(allowed=may_work(request.user))
    context = {"abilities": _abilities_for(request, request.GET.get("vehicle", ""))}
    return render(request, "day/abilities.html", context)


def _abilities_for(request: Request, key: object) -> list[Ability]:
    """The same for a vehicle by its key; nothing where there is none such."""
    try:
        found = Vehicle.objects.filter(pk=UUID(str(key))).first()
    except ValueError:
        return []
    return _abilities(request, found) if found else []


def change(request: Request, pk: UUID) -> HttpResponse:
    """Change what is planned of a visit."""
    demand(allowed=may_work(request.user))
    job = get_object_or_404(Job.objects.select_related("vehicle__fleet", "kit"), pk=pk)
    begun = {
        "kit": job.kit, "scope": job.rig.get("scope", "all"), "planned_at": timezone.localtime(job.planned_at),
        "asked": job.asked, "technician": job.technician, "further": job.further_kits.all(),
    }  # fmt: skip
    form = VisitForm(request.POST or None, initial=begun, has=job.kits)
    if request.method == "POST" and form.is_valid():
        data = form.cleaned_data
        try:
            change_visit(
                request.user, job, [data["kit"], *data.get("further", ())], data["scope"], data["planned_at"], data["technician"],
                data["asked"],
            )  # fmt: skip
            messages.success(request, f"The visit to {job.vehicle.unit} is changed.")
            return redirect("day:today")
        except KitError as error:
            form.add_error("kit", str(error))
        except RecordError as error:
            form.add_error(None, str(error))
    title = f"The visit to {job.vehicle.unit}, {job.vehicle.fleet.name}"
    context = {"form": form, "title": title, "abilities": _abilities(request, job.vehicle)}
    return render(request, "day/new.html", context, status=422 if form.errors else 200)


def _last_kit(request: Request) -> object:
    """The kit that was taken to this vehicle last, else the one this person took last; none whose certificate ran out."""
    ran_out = Q(kit__certified_until__lt=timezone.localdate())
    jobs = (
        Job.objects.filter(kit__retired=False).exclude(ran_out).order_by("-planned_at").values_list("kit_id", flat=True)
    )
    try:
        same = jobs.filter(vehicle=UUID(request.GET.get("vehicle", ""))).first()
    except ValueError:
        same = None
    return same or jobs.filter(technician=request.user).first()


def read_in(request: Request) -> HttpResponse:
    """Read a job file in."""
    demand(allowed=may_measure(request.user))
    form = JobFileForm(request.POST or None, request.FILES or None)
    faults: list[str] = []
    if request.method == "POST" and form.is_valid():
        try:
            made = read_in_job_file(request.user, form.cleaned_data["vehicle"], form.cleaned_data["file"].read())
            return redirect("stages:stage", pk=made.pk, stage="judge")
        except JobFileError as error:
            faults = [str(fault) for fault in error.faults[:50]]
    status = 422 if form.errors or faults else 200
    return render(request, "day/read_in.html", {"form": form, "faults": faults}, status=status)
