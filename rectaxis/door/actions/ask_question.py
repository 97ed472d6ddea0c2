"""Ask about a report, and answer."""

from __future__ import annotations

from django.db import transaction
from django.utils import timezone

from rectaxis.common.locks import locking
from rectaxis.door.models import Question
from rectaxis.people.access import demand, may_ask, may_work
from rectaxis.people.models import User
from rectaxis.record.errors import RecordError
from rectaxis.record.models import Job

LONGEST_QUESTION, LONGEST_ANSWER = 600, 1000


class QuestionError(RecordError):
    """What cannot be asked or answered; the text says why."""


@transaction.atomic
def ask_question(person: User, job: Job, text: str) -> Question:
    """Ask about a closed job's report; the same question that still waits is one. **Raises** PermissionDenied, QuestionError."""
    demand(allowed=may_ask(person, job.vehicle.fleet_id) and job.closed)
    text = " ".join(text.split())[:LONGEST_QUESTION]
    if not text:
        raise QuestionError("Type the question.")
    locking(Job).get(pk=job.pk)
    there = Question.objects.filter(job=job, text=text, answer="").first()
    return there or Question.objects.create(job=job, text=text, by=person)


@transaction.atomic
def answer_question(person: User, question: Question, text: str) -> Question:
    """Answer it: the fleet sees that. **Raises** PermissionDenied, QuestionError."""
    demand(allowed=may_work(person))
    text = " ".join(text.split())[:LONGEST_ANSWER]
    if not text:
        raise QuestionError("Type the answer.")
    question = locking(Question).get(pk=question.pk)
    question.answer, question.answered_by, question.answered_at = text, person, timezone.now()
    question.save(update_fields=["answer", "answered_by", "answered_at"])
    return question
