"""Letters that go out by a rule that a person has set for a contact."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver

from alignment.judge.fitness import IN_ORDER
from rectaxis.post.actions import invite_person  # noqa: F401 - importing it connects its receiver
from rectaxis.post.models import Contact, Letter
from rectaxis.post.write import write_report
from rectaxis.record.models import Job
from rectaxis.record.signals import job_closed, report_corrected
from rectaxis.reports.find import ANYBODY, report_of


@receiver([job_closed, report_corrected])
def tell_contacts(job: Job, **_: Any) -> None:
    """Write to the contacts of the vehicle's fleet who want this report; a corrected one also to who had an earlier by such a rule."""
    wanting = Contact.objects.filter(
        fleet=job.vehicle.fleet_id, former=False, wants__in=(Contact.Wants.EACH, Contact.Wants.NOT_IN_ORDER)
    )
    contacts = list(wanting)
    report = report_of(job, ANYBODY) if contacts else None
    if report is None:
        return
    answer = report.front.answer
    in_order = answer is not None and answer.code == IN_ORDER
    had = set(Letter.objects.filter(job=job, by=None).values_list("contact_id", flat=True))
    for contact in contacts:
        if contact.wants == Contact.Wants.EACH or not in_order or contact.pk in had:
            write_report(contact, report, None)
