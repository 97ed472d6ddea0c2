"""Make the demo's data where there is none, and keep its open visits on today's page."""

import datetime as dt

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction
from django.utils import timezone

from rectaxis.demo.business import make_demo
from rectaxis.demo.rounds import make_rounds
from rectaxis.demo.years import make_years
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.record.models import CLOSED, Job


class Command(BaseCommand):
    help = "Make the demo's data, once."

    @transaction.atomic
    def handle(self, *_args: object, **_options: object) -> None:
        if not settings.DEMO:
            raise CommandError("This is not the demo: RECTAXIS_DEMO is not set.")
        if not Fleet.objects.exists():
            make_demo()
            make_years(User.objects.get(username="mara"))
            make_rounds(User.objects.get(username="jonah"))
        today = timezone.localdate()
        for job in Job.objects.exclude(status__in=CLOSED).filter(planned_at__date__lt=today):
            job.planned_at = dt.datetime.combine(today, job.planned_at.timetz())
            job.save(update_fields=["planned_at"])
