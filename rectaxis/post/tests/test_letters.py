"""Letters against a real SMTP server, in each of its moods: exactly once, or it is said that nobody knows."""

import asyncio
import io

from aiosmtpd.controller import Controller
from django.core.exceptions import PermissionDenied, ValidationError
from django.db import connection
from django.test import TestCase, TransactionTestCase, override_settings
from django.utils import timezone
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from pypdf import PdfReader

from rectaxis.business.letter_words import check_words, filled
from rectaxis.business.models import Business
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.post.actions.send_report import LetterError, send_report, try_again
from rectaxis.post.digest import write_digests
from rectaxis.post.models import Contact, Letter
from rectaxis.post.send import MOST_TRIES, TryAgainError, send
from rectaxis.post.tasks import look_after_letters
from rectaxis.post.write import write_report
from rectaxis.record.models import Event, Job
from rectaxis.record.slot import Phase
from rectaxis.reports.find import ANYBODY, report_of
from rectaxis.visit.actions.correct_reading import correct_reading
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.hold_job import hold_job
from rectaxis.visit.actions.seal_phase import seal_phase
from standins.mailbox import Mailbox
from tests.demo import put_out_the_demo
from tests.devices import free_port

SMTP = "django.core.mail.backends.smtp.EmailBackend"


class Posted:
    """The demo, and a mail server that is really asked."""

    def setUp(self):
        put_out_the_demo()
        self.person = User.objects.get(username="mara")
        self.done, self.in_hand = (Job.objects.get(vehicle__unit=f"Van {n}") for n in (9, 21))
        self.edda = Contact.objects.get(name="Edda Quill")
        Letter.objects.all().delete()
        self.mailbox, self.port = Mailbox(), free_port()
        self.server = Controller(self.mailbox, hostname="127.0.0.1", port=self.port)
        self.server.start()
        self.addCleanup(self.stop)
        self.enterContext(
            override_settings(EMAIL_BACKEND=SMTP, EMAIL_HOST="127.0.0.1", EMAIL_PORT=self.port, EMAIL_TIMEOUT=10)
        )

    def stop(self):
        if self.server is not None:
            self.server.stop()
            self.server = None

    def letter(self):
        (letter,) = send_report(self.person, self.done, [self.edda])
        return letter


class Letters(Posted, TestCase):
    def test_a_report_goes_out_once_with_its_pdf_however_often_it_is_pressed(self):
        letter = self.letter()
        self.assertEqual(self.letter().pk, letter.pk)
        for _ in range(3):
            send(str(letter.pk))
        (came,) = self.mailbox.letters
        self.assertEqual(Letter.objects.get().status, Letter.Status.SENT)
        self.assertIn("office@tolland.example", came["From"])
        self.assertEqual(
            (came["To"], came["Message-ID"]), ("edda@harbourpost.example", f"<{letter.pk}@tolland.example>")
        )
        self.assertIn("Measure it again by", came.get_body(("plain",)).get_content())
        (part,) = came.iter_attachments()
        self.assertIn("Wheel alignment, Van 9", PdfReader(io.BytesIO(part.get_content())).pages[0].extract_text())

    def test_a_contact_gets_the_report_in_the_style_that_they_read(self):
        Contact.objects.filter(pk=self.edda.pk).update(angle_style="dms")
        send(str(self.letter().pk))
        (part,) = self.mailbox.letters[0].iter_attachments()
        text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(part.get_content())).pages)
        judged = text.partition("Annex")[0]  # what was read stands as it was read
        self.assertRegex(judged, r"\d°\d\d'")
        self.assertNotRegex(judged, r"\d\.\d\d°")

    def test_greylisting_is_waited_for_and_what_is_refused_says_why_and_can_be_tried_again(self):
        letter = self.letter()
        self.mailbox.mood = "greylisting"
        with self.assertRaises(TryAgainError):
            send(str(letter.pk))
        self.assertIn("451", Letter.objects.get().said)
        self.assertEqual(send(str(letter.pk)).status, Letter.Status.SENT)
        Letter.objects.all().delete()
        self.mailbox.mood, letter = "refusing", self.letter()
        self.assertEqual(send(str(letter.pk)).status, Letter.Status.REFUSED)
        self.client.force_login(self.person)
        self.assertContains(self.client.get("/letters/"), "550 no such mailbox here")
        self.mailbox.mood = "good"
        self.client.post(f"/letters/{letter.pk}/again/")
        self.assertEqual(send(str(letter.pk)).status, Letter.Status.SENT)
        self.assertEqual(len(self.mailbox.letters), 2)

    def test_a_server_that_is_away_is_tried_later_and_not_for_ever(self):
        letter = self.letter()
        self.stop()
        for _ in range(MOST_TRIES - 1):
            with self.assertRaises(TryAgainError):
                send(str(letter.pk))
        self.assertEqual(send(str(letter.pk)).status, Letter.Status.FAILED)
        self.assertEqual(try_again(self.person, letter).status, Letter.Status.WAITING)

    def test_where_nobody_knows_whether_it_arrived_it_is_said_and_it_is_not_sent_again_by_itself(self):
        letter = self.letter()
        self.mailbox.mood = "hanging-up"
        self.assertEqual(send(str(letter.pk)).status, Letter.Status.UNSURE)
        self.mailbox.mood = "good"
        send(str(letter.pk))
        self.assertEqual(len(self.mailbox.letters), 1)
        # Killed while it was sending: whoever comes next says so, and sends nothing.
        Letter.objects.update(status=Letter.Status.SENDING)
        self.assertEqual(send(str(letter.pk)).status, Letter.Status.UNSURE)
        Letter.objects.update(status=Letter.Status.SENDING, changed_at="2026-01-01T00:00Z")
        look_after_letters(0)
        self.assertEqual(Letter.objects.get().status, Letter.Status.UNSURE)
        self.assertEqual(len(self.mailbox.letters), 1)

    def test_a_letter_whose_worker_was_killed_before_it_began_is_put_into_the_queue_again(self):
        self.letter()
        with connection.cursor() as cursor:
            cursor.execute("UPDATE procrastinate_jobs SET status = 'doing'")
        Letter.objects.update(made_at="2026-01-01T00:00Z")
        for _ in range(2):
            look_after_letters(0)
        self.assertEqual(ProcrastinateJob.objects.filter(task_name="send_letter", status="todo").count(), 1)

    def test_what_a_contact_gets_by_itself_is_what_a_person_has_set(self):
        orrin = Contact.objects.get(name="Orrin Vale")
        only = Contact.objects.create(
            fleet=self.edda.fleet, name="Ilse Rann", email="ilse@harbourpost.example", wants="outside"
        )
        former = Contact.objects.create(
            fleet=self.edda.fleet, name="Gone", email="gone@x.example", wants="each", former=True
        )
        seal_phase(self.person, self.in_hand, Phase.BEFORE)
        hand_over(self.person, self.in_hand)
        hand_over(self.person, self.in_hand)
        self.assertEqual({letter.to for letter in Letter.objects.all()}, {self.edda.email, only.email})
        self.assertFalse(former.letters.exists() or orrin.letters.exists())
        trailer = Job.objects.get(vehicle__unit="Trailer 5")
        Contact.objects.filter(fleet=trailer.vehicle.fleet).update(wants="each")
        hold_job(self.person, trailer, "end", "no time today")
        self.assertEqual(Letter.objects.filter(job=trailer).count(), 1)
        Event.objects.filter(job=self.in_hand, what="done").update(at="2026-11-18T12:00Z")
        Event.objects.exclude(job=self.in_hand).update(at="2026-01-01T00:00Z")
        for _ in range(2):
            (weekly,) = write_digests(Event.objects.get(job=self.in_hand, what="done").at.date().replace(day=23))
        self.assertEqual((weekly.contact, weekly.body.count("Van 21")), (orrin, 1))

    def test_somebody_who_left_meanwhile_gets_nothing_and_a_letter_brings_the_version_that_it_speaks_of(self):
        letter = self.letter()
        scale = self.done.entry_set.filter(slot__startswith="after/toe_scales/2/left").latest("sequence")
        correct_reading(self.person, self.done, scale.slot, f"{scale.value + 1.0:.2f} mm", "read from the wrong end")
        send(str(letter.pk))
        (part,) = self.mailbox.letters[0].iter_attachments()
        text = "".join(page.extract_text() for page in PdfReader(io.BytesIO(part.get_content())).pages)
        self.assertIn("This is version 1 of 2", text)
        (newer,) = send_report(self.person, self.done, [self.edda])
        Contact.objects.filter(pk=self.edda.pk).update(former=True)
        self.assertEqual((send(str(newer.pk)).status, len(self.mailbox.letters)), (Letter.Status.REFUSED, 1))
        with self.assertRaises(LetterError):
            send_report(self.person, self.done, [Contact.objects.get(pk=self.edda.pk)])

    def test_a_corrected_report_goes_to_those_whose_rule_it_fits_or_brought_the_first_and_others_are_seen_to_have_the_old(
        self,
    ):
        fleet, one = self.done.vehicle.fleet, self.letter()
        Contact.objects.filter(fleet=fleet).update(wants="nothing")
        each, had, neither = (Contact.objects.create(fleet=fleet, name=name, email=f"{name}@post.example", wants=wants)
                              for name, wants in (("Ana", "each"), ("Bo", "outside"), ("Cy", "nothing")))  # fmt: skip
        write_report(had, report_of(self.done, ANYBODY), None)
        scale = self.done.entry_set.filter(slot__startswith="after/toe_scales/2/left").latest("sequence")
        correct_reading(self.person, self.done, scale.slot, f"{scale.value + 0.01:.2f} mm", "read from the wrong end")
        made = Letter.objects.filter(version=2)
        self.assertEqual({letter.contact for letter in made}, {each, had})
        self.assertTrue(all(letter.subject.startswith("Corrected: ") and "wrong end" in letter.body for letter in made))
        self.client.force_login(self.person)
        page = self.client.get(f"/reports/{self.done.pk}/send/").content.decode()
        self.assertEqual(page.count("before the report was corrected"), 2, f"{one.contact} and {had}")
        self.assertNotIn(neither.email, page.partition("Written so far")[2])

    def test_nobody_of_another_fleet_and_nobody_of_a_fleet_writes(self):
        others = Contact.objects.get(name="Brisa Holt")
        with self.assertRaises(LetterError):
            send_report(self.person, self.done, [others])
        with self.assertRaises(LetterError):
            send_report(self.person, self.in_hand, [self.edda])
        with self.assertRaises(PermissionDenied):
            send_report(User.objects.get(username="post"), self.done, [self.edda])
        self.assertFalse(Letter.objects.exists())

    def test_a_name_with_a_line_break_writes_no_header(self):
        Fleet.objects.filter(pk=self.edda.fleet_id).update(name="Harbour\nBcc: all@x.example")
        Business.objects.update(letter_subject="{fleet}: {unit}\r\nBcc: all@x.example {nothing}")
        send(str(self.letter().pk))
        (came,) = self.mailbox.letters
        self.assertIsNone(came["Bcc"])
        with self.assertRaisesMessage(ValidationError, "{nothing}"):
            check_words("{unit} {nothing}")
        self.assertEqual(filled("{unit} {x} {0.__class__}", {"unit": "Van 9"}), "Van 9 {x} {0.__class__}")


class Worker(Posted, TransactionTestCase):
    def test_the_worker_sends_what_waits_and_comes_back_to_what_was_put_off(self):
        self.mailbox.mood = "greylisting"
        letter = self.letter()

        async def working():
            with app.replace_connector(app.connector.get_worker_connector()) as worker:
                async with worker.open_async():
                    await worker.run_worker_async(
                        queues=["post"], wait=False, install_signal_handlers=False, listen_notify=False
                    )

        asyncio.run(working())
        self.assertIn("451", Letter.objects.get().said)
        put_off = ProcrastinateJob.objects.get(task_name="send_letter")
        self.assertEqual((put_off.status, put_off.attempts), ("todo", 1))
        self.assertGreater(put_off.scheduled_at, timezone.now())
        with connection.cursor() as cursor:
            cursor.execute("UPDATE procrastinate_jobs SET scheduled_at = NULL WHERE id = %s", [put_off.pk])
        asyncio.run(working())
        self.assertEqual((Letter.objects.get().status, len(self.mailbox.letters)), (Letter.Status.SENT, 1))
        self.assertEqual(letter.pk, Letter.objects.get().pk)
