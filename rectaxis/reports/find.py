"""The report of a job: the one that is sealed, or a draft while the job is open."""

from __future__ import annotations

from rectaxis.business.words import in_words_of_the_business
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.record.seal import sealed_statement
from rectaxis.reports.content import Report
from rectaxis.visit.statement import statement_of
from rectaxis.visit.visit import Visit


def report_of(job: Job, reader: User) -> Report | None:
    """The report in the reader's angle style; None while nothing is sealed.

    A closed job's is made of what is sealed and nothing else. An open job's is a draft: what a seal would say now.
    """
    sealed = sealed_statement(job)
    if sealed is None:
        return None
    if job.closed:
        return Report(job, sealed, reader.angle_style)
    with in_words_of_the_business():
        return Report(job, statement_of(Visit(job)), reader.angle_style, draft=True)
