"""Say what became of a piece of advice."""

from __future__ import annotations

from django.db import transaction

from rectaxis.common.locks import locking
from rectaxis.door.models import AdviceAnswer
from rectaxis.people.access import demand, may_ask
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job
from rectaxis.record.seal import sealed_statement


class AdviceError(RecordError):
    """An answer that cannot be taken; the text says why."""


@transaction.atomic
def answer_advice(person: User, job: Job, place: int, answer: str, why: str) -> AdviceAnswer:
    """Answer a piece of advice of a closed job's report, by its place. The same again adds nothing.

    **Raises** PermissionDenied, AdviceError.
    """
    demand(allowed=may_ask(person, job.vehicle.fleet_id))
    job = locking(Job).get(pk=job.pk)
    said = sealed_statement(job) if job.closed else None
    if said is None or not 0 <= place < len(said.advice):
        raise AdviceError("That report has no such advice.")
    if answer not in AdviceAnswer.Answer.values:
        raise AdviceError("Say whether it is done, or that you will not.")
    why = " ".join(why.split())[:300]
    if answer == AdviceAnswer.Answer.WILL_NOT and not why:
        raise AdviceError("Say why you will not: it is kept with the report.")
    last = AdviceAnswer.objects.filter(job=job, place=place).last()
    if last is not None and (last.answer, last.why) == (answer, why):
        return last
    return AdviceAnswer.objects.create(job=job, place=place, answer=answer, why=why, by=person)
