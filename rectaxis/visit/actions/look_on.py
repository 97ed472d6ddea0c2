"""Let the cameras of a visit look on for some seconds more, without keeping what they see."""

from __future__ import annotations

from rectaxis.devices.channel import want
from rectaxis.devices.models import Device
from rectaxis.people.access import demand, may_measure
from rectaxis.people.models import User
from rectaxis.record.journal import Journal
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.take_shot import ShotError

LOOKED_AT = (Phase.BEFORE, Phase.SET, Phase.AFTER)


def look_on(person: User, job: Job, phase: str, shows: str) -> None:
    """Ask the follower to look as pictures of a phase do, and to tell those pages that show ``shows``.

    **Raises** PermissionDenied, ShotError.
    """
    demand(allowed=may_measure(person))
    if phase not in LOOKED_AT:
        raise ShotError("Expected a phase of this visit that pictures are taken in.")
    if {phase, Phase.AFTER} & set(Journal(job).seals):
        raise ShotError("That phase is saved; its pictures stay as they are.")
    device = cameras_of(job)
    if device is None:
        raise ShotError("No cameras are paired with the kit of this visit: pair them on the kit's page.")
    want(do="look", job=str(job.pk), device=str(device.pk), of=phase, phase=shows, style=person.angle_style)


def cameras_of(job: Job) -> Device | None:
    """The cameras that are paired with one of a visit's kits."""
    return Device.objects.filter(kit__in=job.kits, unpaired=False, identity__kind="cameras").first()
