"""Bring the record of visits made with an earlier version up to date, once: names that were made of words become codes, and
what was reported is sealed as it reads now, before a later core would say it otherwise.
"""

from __future__ import annotations

from collections.abc import Iterator

from django.db import transaction
from django.db.models import Q

from alignment.judge.diagnose import diagnose
from alignment.procedure.kit import kit, kit_codes
from alignment.procedure.stages import Named, all_gates
from alignment.readings.base import CLAMP, GAUGE, ZERO
from rectaxis.fleets.layout import Layout
from rectaxis.record.models import Entry, Job, Seal
from rectaxis.record.slot import Opinion, Phase, Reason
from rectaxis.record.writing import Book
from rectaxis.visit.actions.seal_phase import seal_visit
from rectaxis.visit.visit import Visit

_SPOKEN = ("gate/unsafe-", "gate/runout-", "gate/rim-", "gate/tight-")
"""How slots of gates about a part began while they were made of the part's name."""


def bring_up_to_date() -> int:
    """Do it for every visit that needs it; answers with how many did. Doing it twice is harmless."""
    spoken = Q(slot__startswith="judge/finding/") & ~Q(slot__regex=r"^judge/finding/[a-z-]+/")
    for start in _SPOKEN:
        spoken |= Q(slot__startswith=start)
    named = Entry.objects.filter(spoken).values("job")
    unsealed = (
        Job.objects.filter(status__in=(Job.Status.DONE, Job.Status.ENDED)).exclude(seal_set__phase="visit").values("pk")
    )
    jobs = Job.objects.filter(Q(pk__in=named) | Q(pk__in=unsealed)).select_related("vehicle__fleet", "technician")
    for job in jobs:
        with transaction.atomic():
            _rename(job)
            if job.closed and not Seal.objects.filter(job=job, phase="visit").exists():
                _seal(job)
    hung = unread_rigs()
    for job in hung:
        _hang_on_clamps(job)
    return len({job.pk for job in (*jobs, *hung)})


def unread_rigs() -> list[Job]:
    """Visits without a sealed before whose copies of a kit do not say yet what hangs on clamps, and which gauge reads what."""
    still = Job.objects.exclude(status__in=(Job.Status.DONE, Job.Status.ENDED)).exclude(rig__has_key="clamp_u_deg")
    return [job for job in still.exclude(seal_set__phase=Phase.BEFORE) if job.rig.get("code") in kit_codes()]


def _hang_on_clamps(job: Job) -> None:
    """Give each station of a copied kit what the kit's file says by now of its clamps and its gauge."""
    core = kit(job.rig["code"])
    as_now = {station.slot: station.reading for station in core.stations(Layout.from_json(job.layout).core.vehicle)}
    for station in job.rig["stations"]:
        reading = as_now.get(station["slot"], {})
        station["reading"] |= {name: reading[name] for name in (CLAMP.name, GAUGE.name, ZERO.name) if name in reading}
    job.rig["clamp_u_deg"] = core.clamp_u_deg
    job.save(update_fields=["rig"])


def _seal(job: Job) -> None:
    """Seal what the report says, under the name of whoever did the job."""
    book = Book(job.technician, job)
    seal_visit(book, numbered=False)
    Job.objects.filter(pk=job.pk).update(added=book.taken)


def _rename(job: Job) -> None:
    """Give reasons and opinions the codes of what they are about."""
    for old, new in {**dict(_gates(job)), **dict(_opinions(job))}.items():
        Entry.objects.filter(job=job, slot=old).update(slot=new)


def _words(text: str) -> str:
    """A name as slots were made of it."""
    return "-".join("".join(c if c.isalnum() else " " for c in text.lower()).split())[:60]


def _gates(job: Job) -> Iterator[tuple[str, str]]:
    visit = Visit(job)
    facts, question = visit.progress.facts, visit.snapshot.question
    unsafe = [Named(part.code, question[part.code].label) for part in facts.unsafe]
    for kind, parts in (("unsafe", unsafe), ("runout", facts.clamps_open), ("tight", facts.not_tightened)):
        for part in parts:
            yield f"gate/{kind}-{_words(part.name)}", str(Reason(f"{kind}/{part.code}"))
    for gate in all_gates(facts):
        if gate.code.startswith("rim/"):
            yield f"gate/{gate.code.replace('/', '-')}", str(Reason(gate.code))


def _opinions(job: Job) -> Iterator[tuple[str, str]]:
    visit = Visit(job)
    for finding in diagnose(visit.decisions.evidence(visit.results(Phase.BEFORE))):
        spoken = "-".join(f"{finding.rule} {finding.cause}".lower().split())[:90]
        yield f"judge/finding/{spoken}", str(Opinion(finding.code))
