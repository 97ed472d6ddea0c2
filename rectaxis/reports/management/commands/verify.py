"""Find what is not as it was sealed."""

from typing import Any

from django.core.management.base import BaseCommand, CommandError, CommandParser

from rectaxis.record.chain import faults, head
from rectaxis.record.models import Link


class Command(BaseCommand):
    help = "Find any seal, entry or move that was changed, removed or moved since it was sealed."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument(
            "--anchor", default="", help="a head of the chain that was written down earlier, as backups do"
        )
        parser.add_argument("--head", action="store_true", help="print the head of the chain, and nothing else")

    def handle(self, *_args: object, **options: Any) -> None:
        if options["head"]:
            self.stdout.write(head())
            return
        found = list(faults(options["anchor"]))
        for one in found:
            self.stdout.write(one)
        if found:
            raise CommandError(f"{len(found)} places are not as they were sealed.")
        count = Link.objects.count()
        self.stdout.write(f"{count} seals are as they were sealed. The head of the chain: {head() or 'none yet'}")
