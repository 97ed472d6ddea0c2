"""What the worker reckons: a vehicle's years, when its report is sealed or corrected."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver
from procrastinate.contrib.django import app

from rectaxis.common.queue import ask_once
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.record.models import Job
from rectaxis.record.signals import job_closed, report_corrected
from rectaxis.years import practice
from rectaxis.years.standing import reckon, reckon_missing


@receiver([job_closed, report_corrected])
def reckon_soon(job: Job, **_: Any) -> None:
    """Let the worker reckon the vehicle."""
    app.configure_task("reckon_vehicle").defer(vehicle=str(job.vehicle_id))


@app.periodic(cron="20 3 * * *")
@app.task(name="reckon_kits", queue="reports", queueing_lock="reckon_kits")
def reckon_kits_soon(timestamp: int = 0) -> None:  # noqa: ARG001 - the queue says for when it is
    """Reckon how the work did: each night, and when somebody asks for whom it is too old."""
    practice.reckon()


def ask_for_kits() -> None:
    """Ask the worker for it, once."""
    ask_once("reckon_kits", "reckon_kits")


def ask_for_fleet(fleet: Fleet) -> None:
    """Ask the worker for what is not reckoned yet of a fleet, once."""
    ask_once("reckon_fleet", f"years/{fleet.pk}", fleet=str(fleet.pk))


@app.task(name="reckon_fleet", queue="reports")
def reckon_fleet(fleet: str) -> None:
    """Reckon and keep what a fleet's page shows of its vehicles."""
    found = Fleet.objects.filter(pk=fleet).first()
    if found is not None:
        reckon_missing(found)


@app.task(name="reckon_vehicle", queue="reports")
def reckon_vehicle(vehicle: str) -> None:
    """Reckon and keep what a fleet's page shows of a vehicle."""
    found = Vehicle.objects.select_related("fleet").filter(pk=vehicle).first()
    if found is not None:
        reckon(found)
