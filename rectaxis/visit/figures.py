"""Which figures of the library fit a visit's vehicle, by what was found on it."""

from __future__ import annotations

from alignment.procedure.checklist import size_slot
from rectaxis.record.slot import Phase
from rectaxis.specs.choose import Fit, fits_for
from rectaxis.visit.visit import Visit


def fits_of(visit: Visit) -> list[Fit]:
    """The library's figures for the vehicle, the most fitting first."""
    kept = visit.snapshot.layout.sizes
    axles = [axle.number for axle in visit.snapshot.vehicle.axles]
    sizes = [visit.journal.answer(size_slot(axle)) or kept.get(str(axle), "") for axle in axles]
    return fits_for(visit.job.vehicle, [size for size in sizes if size])


def better_fit(visit: Visit) -> Fit | None:
    """Figures that fit better than those the visit goes by; None where there are none, or where it is too late to choose others."""
    if Phase.BEFORE in visit.journal.seals or visit.job.closed:
        return None
    fits = fits_of(visit)
    now = next((fit for fit in fits if str(fit.figures.pk) == visit.snapshot.spec.key), None)
    if not fits or fits[0].against or (visit.snapshot.spec.key and now is None):
        return None
    best = fits[0]
    worse = now is None or (len(now.against), -len(now.because)) > (len(best.against), -len(best.because))
    return best if worse else None
