"""Calendars: absences come in, visits go out to whoever has the address."""

import datetime as dt

from django.urls import reverse
from django.utils import timezone
from icalendar import Calendar

from rectaxis.record.models import Job
from rectaxis.rounds.actions.say_crew import CrewError, read_calendar
from rectaxis.rounds.gather import gathered
from rectaxis.rounds.models import Absence
from rectaxis.rounds.tests.test_days import InTheDemo


class Calendars(InTheDemo):
    def entry(self, uid, start, end, more=""):
        return f"BEGIN:VEVENT\r\nUID:{uid}\r\nSUMMARY:Away\r\nDTSTART{start}\r\nDTEND{end}\r\n{more}END:VEVENT\r\n"

    def test_absences_come_in_once_and_what_takes_no_time_does_not(self):
        Absence.objects.all().delete()
        entries = (
            self.entry("a", ":20270104T080000Z", ":20270104T100000Z") + self.entry("b", ";VALUE=DATE:20270105", ";VALUE=DATE:20270107")
            + self.entry("c", ":20270104T080000Z", ":20270104T100000Z", "TRANSP:TRANSPARENT\r\n")
            + self.entry("d", ":20270104T080000Z", ":20270104T100000Z", "STATUS:CANCELLED\r\n")
        )  # fmt: skip
        file = f"BEGIN:VCALENDAR\r\n{entries}END:VCALENDAR\r\n".encode()
        for _ in range(2):
            self.assertEqual(read_calendar(self.jonah, self.brin, file), 2)
        self.assertEqual(Absence.objects.count(), 2)
        days = gathered([dt.date(2027, 1, 5), dt.date(2027, 1, 6)], timezone.now()).days
        away = next(man for man in days.technicians if man.key == str(self.brin.person_id)).absences
        self.assertIn(
            (dt.datetime.fromisoformat("2027-01-05"), dt.datetime.fromisoformat("2027-01-07")),
            [(one.start, one.end) for one in away],
        )
        for spoiled in (
            b"",
            b"\x00\xff",
            b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n",
            file.replace(b"0104T08", b"9904T08"),
        ):
            with self.assertRaises(CrewError):
                read_calendar(self.jonah, self.brin, spoiled)

    def test_who_has_the_address_reads_the_visits_until_another_is_given_out(self):
        self.client.force_login(self.jonah)
        pages = [self.client.post(reverse("rounds:address", args=[self.brin.pk])).content.decode() for _ in range(2)]
        old, new = (page.split("<code")[1].split("/calendar/")[1].split("/")[0] for page in pages)
        self.client.logout()
        self.assertEqual(self.client.get(reverse("rounds:feed", args=[old])).status_code, 404)
        entries = Calendar.from_ical(self.client.get(reverse("rounds:feed", args=[new])).content).walk("VEVENT")
        mine = Job.objects.filter(technician=self.brin.person)
        self.assertEqual({str(one["uid"]) for one in entries}, {f"visit/{job.pk}@rectaxis" for job in mine})
        self.assertEqual({one["dtstart"].dt for one in entries}, {job.planned_at for job in mine})
