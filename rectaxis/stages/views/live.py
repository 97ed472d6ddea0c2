"""What the devices of a visit's kits say, as it comes."""

from __future__ import annotations

from uuid import UUID

from asgiref.sync import sync_to_async
from django.http import Http404, HttpRequest, HttpResponseBase
from django.views.decorators.http import require_GET

from alignment.live.measures import measure_of
from alignment.procedure.checklist import TREADS, tyre_slot, tyres
from rectaxis.devices.stream import stream
from rectaxis.people.access import demand, may_work
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.slot import Phase
from rectaxis.stages.devices import devices_of
from rectaxis.stages.moving import GUIDED
from rectaxis.visit.visit import Visit


@require_GET
async def devices(request: HttpRequest, pk: UUID) -> HttpResponseBase:
    """Live numbers under the names of the visit's own scales. **Raises** PermissionDenied, Http404."""
    user = await request.auser()
    known, names = await sync_to_async(_known)(user, pk)
    phase, style = request.GET.get("phase", ""), getattr(user, "angle_style", "deg")
    watch = {"job": str(pk), "phase": phase, "style": style} if known and phase in {*Phase, *GUIDED} else None
    return stream(known, lambda key: names.get(key, ()), watch)


def _known(user: object, pk: UUID) -> tuple[list[str], dict[str, list[str]]]:
    """The devices of a visit, and the places of its numbers (``camber/1/left/deg``) by what a device measures for them."""
    demand(allowed=isinstance(user, User) and may_work(user))
    job = Job.objects.filter(pk=pk).first()
    if job is None:
        raise Http404
    names: dict[str, list[str]] = {}
    visit = Visit(job)
    for station in visit.readings.stations:
        for path in station.fields:
            of = measure_of(station, path)
            if of is not None:
                names.setdefault(of.key, []).append(f"{station.slot}/{path}")
    for at, _, axle, side in tyres(visit.snapshot.vehicle, visit.snapshot.subject.duals):
        # A probe knows one tyre on each side of an axle: of twins the outer one.
        if at.endswith("-inner"):
            continue
        tyre = f"{axle.number}/{side}"
        names[f"pressure/{tyre}"] = [_bare(tyre_slot(at, "pressure"))]
        names |= {f"tread/{tyre}/{place}": [_bare(tyre_slot(at, f"tread-{place}"))] for place in TREADS}
    return [str(one.pk) for one in devices_of(job)], names


def _bare(slot: str) -> str:
    """A slot without its first part, as pages name places."""
    return slot.partition("/")[2]
