"""Once a week: a list of the week's reports."""

from __future__ import annotations

import datetime as dt

from rectaxis.business.models import the_business
from rectaxis.post.models import Contact, Letter
from rectaxis.post.write import write
from rectaxis.record.models import CLOSED, Job
from rectaxis.reports.find import ANYBODY, report_of


def write_digests(day: dt.date) -> list[Letter]:
    """Write to each contact who wants it of the seven days before ``day``; a week without a report has no letter. Once for each day."""
    letters = []
    for contact in Contact.objects.filter(former=False, wants=Contact.Wants.WEEKLY).select_related("fleet"):
        week = (day - dt.timedelta(days=7), day)
        jobs = Job.objects.filter(vehicle__fleet=contact.fleet, status__in=CLOSED, event_set__what__in=CLOSED,
                                  event_set__at__date__gte=week[0], event_set__at__date__lt=week[1])  # fmt: skip
        lines = [
            line
            for job in jobs.distinct().select_related("vehicle__fleet").order_by("planned_at")
            if (line := _line(job))
        ]
        if lines:
            body = (
                f"Dear {contact.name},\n\nthe reports of the last seven days:\n\n"
                + "\n".join(lines)
                + f"\n\n{the_business().name}\n"
            )
            letters.append(
                write(contact, f"weekly/{day}/{contact.pk}", f"Wheel alignment: {len(lines)} reports", body, None)
            )
    return letters


def _line(job: Job) -> str:
    report = report_of(job, ANYBODY)
    if report is None:
        return ""
    about, answer = report.statement.subject, report.front.answer
    return f"{about.unit}, {about.day:%-d %B %Y}: {answer.head if answer else 'see the report'}. {report.front.next}"
