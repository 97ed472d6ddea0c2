"""Job files that the program writes are read back in: every axle pattern, every kit that a person reads on several of them."""

import json

from django.test import TestCase

from alignment.patterns import patterns
from alignment.procedure.kit import kit
from alignment.simulate.jobs import simulate
from rectaxis.fleets.forms import layout_of_pattern
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import OFFERED
from rectaxis.people.models import User
from rectaxis.record.slot import Phase
from rectaxis.visit.actions.read_in_job_file import read_in_job_file
from rectaxis.visit.visit import Visit


def as_a_set(readings):
    """Readings whatever their order, with numbers as they are written."""
    return sorted(json.dumps(reading, sort_keys=True) for reading in readings)


_EVERY = 3
"""One kit in so many is read in on a pattern, others on the next: each kit on several, each pattern by several."""


class RoundTrip(TestCase):
    def test_what_kits_read_on_each_pattern_comes_back_the_same_and_its_pages_open(self):
        person = User.objects.create_user("ana", password="x", role=User.Role.TECHNICIAN)
        self.client.force_login(person)
        fleet = Fleet.objects.create(name="Own")
        for turn, pattern in enumerate(patterns().values()):
            vehicle = Vehicle.objects.create(fleet=fleet, unit=pattern.code, layout=layout_of_pattern(pattern))
            for code in list(OFFERED)[turn % _EVERY :: _EVERY]:
                with self.subTest(kit=code, pattern=pattern.code):
                    document = simulate(pattern, kit(code), 3).document
                    visit = Visit(read_in_job_file(person, vehicle, json.dumps(document).encode()))
                    again = visit.readings.job_file(visit.readings.of_phase(Phase.BEFORE))
                    self.assertEqual(as_a_set(again["readings"]), as_a_set(document["readings"]))
            stages = ("roll", "read", "judge") if document["readings"] else ()
            for stage in stages:
                answer = self.client.get(f"/jobs/{visit.job.pk}/{stage}/")
                self.assertEqual(answer.status_code, 200, f"{pattern.code} {stage}")
