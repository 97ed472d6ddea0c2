"""Choose by which figures a visit is judged: a set of the library, general practice, or none."""

from __future__ import annotations

from uuid import UUID

from uuid6 import uuid7

from rectaxis.fleets.layout import Layout
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import FIGURES, Phase
from rectaxis.record.snapshot import Spec, as_json
from rectaxis.record.writing import writing
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.open_job import UNJUDGED, copy_of, general_practice, judged_by
from rectaxis.visit.kits import rig_of

GENERAL, NONE = "general", "none"


def choose_figures(person: User, job: Job, key: str) -> Spec:
    """Judge a visit by a specification of the library by its key, by ``general`` practice, or by ``none``.

    Until its before is sealed: what was sealed was judged by what it was judged by. **Raises** PermissionDenied, RecordError.
    """
    with writing(person, job) as book:
        if Phase.BEFORE in book.sealed:
            raise RecordError(
                "The before is sealed, and was judged by the figures it has: before and after are judged alike."
            )
        chosen = _figures(book.job, key)
        book.job.specification = as_json(chosen)
        if book.job.kits and book.job.rig.get("code"):
            # The tape reads what these figures ask for, and no more.
            layout = Layout.from_json(book.job.layout)
            scope = book.job.rig.get("scope", "all")
            rig = as_json(rig_of(book.job.kits, layout, scope, judged_by(chosen)))
            book.job.rig |= {name: rig[name] for name in ("setups", "stations")}
        book.job.save(update_fields=["specification", "rig"])
        book.add(Entry(pk=uuid7(), slot=str(FIGURES), typed=chosen.name))
        return chosen


def _figures(job: Job, key: str) -> Spec:
    if key == GENERAL:
        return general_practice(job.vehicle)
    if key == NONE:
        return UNJUDGED
    try:
        found = Specification.objects.filter(pk=UUID(key)).first()
    except ValueError:
        found = None
    if found is None:
        raise RecordError("These figures are not in the library any more; choose others.")
    return copy_of(found)
