"""The report of a job: the one that is sealed, or a draft while the job is open."""

from __future__ import annotations

from rectaxis.business.words import in_words_of_the_business
from rectaxis.people.models import User
from rectaxis.record.models import Job, Seal
from rectaxis.record.seal import Statement
from rectaxis.reports.content import Report
from rectaxis.visit.statement import statement_of
from rectaxis.visit.visit import Visit

ANYBODY = User(angle_style=User.AngleStyle.DEGREES)
"""Whoever is nobody here, as who gets a letter or has a link: they read in degrees."""


def report_of(job: Job, reader: User, version: int | None = None) -> Report | None:
    """The report in the reader's angle style; None while nothing is sealed, or where there is no such ``version``.

    A closed job's is made of what is sealed and nothing else; version 1 is as it was handed over, each correction makes a further
    one, and the latest is meant where none is named. An open job's is a draft: what a seal would say now.
    """
    if not job.closed:
        if version is not None or not Seal.objects.filter(job=job, statement__isnull=False).exists():
            return None
        with in_words_of_the_business():
            return Report(job, statement_of(Visit(job)), reader.angle_style, draft=True)
    made = versions_of(job)
    number = len(made) if version is None else version
    if not 1 <= number <= len(made):
        return None
    return Report(
        job,
        Statement.from_json(made[number - 1].statement),
        reader.angle_style,
        versions=tuple(made[:number]),
        of=len(made),
    )


def versions_of(job: Job) -> list[Seal]:
    """The seals whose statements were or are a closed job's report, the first one first."""
    sealed = list(Seal.objects.filter(job=job, statement__isnull=False).order_by("sequence"))
    first = next((place for place, seal in enumerate(sealed) if seal.phase == "visit"), max(0, len(sealed) - 1))
    return sealed[first:]
