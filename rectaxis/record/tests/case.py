"""The demo's data and three of its visits, for tests of the record."""

from django.test import TestCase

from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.visit.actions.save_entries import save_entries
from tests.demo import put_out_the_demo

SLOT = "before/outboard_pair/2/left_mm"


class Record(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        cls.person = User.objects.get(username="mara")
        cls.empty = Job.objects.get(vehicle__unit="Van 6")
        cls.in_hand = Job.objects.get(vehicle__unit="Van 21")
        cls.done = Job.objects.get(vehicle__unit="Van 9")

    def answers(self, *fields, job=None, person=None, **more):
        items = [{"id": str(key), "slot": slot, "typed": typed, **more} for key, slot, typed in fields]
        return save_entries(person or self.person, job or self.empty, items)

    def save(self, *fields, **named):
        return [saved.status for saved in self.answers(*fields, **named)]
