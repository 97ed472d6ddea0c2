"""Bring visits made with an earlier version up to date."""

from django.core.management.base import BaseCommand

from rectaxis.record.chain import link_all
from rectaxis.visit.upgrade import bring_up_to_date


class Command(BaseCommand):
    help = (
        "Seal the reports of visits that an earlier version closed, and give old names their codes. Harmless to repeat."
    )

    def handle(self, *_args: object, **_options: object) -> None:
        count = bring_up_to_date()
        if count:
            self.stdout.write(f"{count} visits of an earlier version are brought up to date.")
        linked = link_all()
        if linked:
            self.stdout.write(f"{linked} seals of an earlier version are in the chain.")
