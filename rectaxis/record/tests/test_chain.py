"""Whoever changes what was sealed, in the database and with all its rights, is found; whoever works as the program does never is."""

import contextlib
from io import StringIO

from django.core.management import CommandError, call_command
from django.db import connection, transaction
from django.test import override_settings

from rectaxis.demo.doing import read_all
from rectaxis.record.chain import faults, head, link_all, printed_link
from rectaxis.record.models import Entry, Job, Link, Move, Seal
from rectaxis.record.tests.case import Record
from rectaxis.visit.actions.seal_phase import seal_phase


class Chain(Record):
    def raw(self, sql, *words):
        with connection.cursor() as cursor:
            cursor.execute(sql, words)

    @contextlib.contextmanager
    def undone(self):
        with transaction.atomic():
            yield
            transaction.set_rollback(True)

    def found(self, anchor=""):
        return "\n".join(faults(anchor))

    def test_what_the_program_does_itself_is_never_a_fault(self):
        self.assertEqual(self.found(), "")
        before = Link.objects.count()
        job = Job.objects.get(vehicle__unit="Van 21", status="open")
        seal_phase(self.person, job, "before")
        read_all(self.person, job, "after")
        self.assertEqual((self.found(), Link.objects.count()), ("", before + 1))

    def test_each_sort_of_change_is_found_and_said_where(self):
        done = Job.objects.filter(status="done").first()
        seal = done.seal_set.get(phase="before")
        entry = Entry.objects.filter(job=done, sequence__lt=seal.sequence, value__isnull=False).first()
        move = Move.objects.filter(job=done).first()
        for name, sql, words in (
            ("a number that was typed", "UPDATE jobs_entry SET value = value + 0.001 WHERE id = %s", [entry.pk]),
            ("who typed it", "UPDATE jobs_entry SET by_id = (SELECT id FROM people_user WHERE username = 'jonah') WHERE id = %s", [entry.pk]),
            ("an entry that is gone", "DELETE FROM jobs_entry WHERE id = %s", [entry.pk]),
            ("a move", "UPDATE jobs_move SET axle = axle + 1 WHERE id = %s", [move.pk]),
            ("what a report says", "UPDATE jobs_seal SET statement = jsonb_set(statement, '{subject,unit}', '\"Van 1\"') WHERE id = %s", [done.seal_set.get(phase="visit").pk]),
            ("a result", "UPDATE jobs_seal SET results = results || '{\"x\": 1}' WHERE id = %s", [seal.pk]),
        ):  # fmt: skip
            with self.subTest(name), self.undone():
                self.raw(sql, *words)
                self.assertIn(str(done.pk), self.found())
                self.assertIn("is not as it was sealed", self.found())

    def test_a_seal_that_is_gone_put_in_moved_or_cut_off_is_found(self):
        seal = Seal.objects.get(pk=Link.objects.order_by("number").first().seal)
        anchor = head()
        for known in (anchor, printed_link(Link.objects.order_by("-number").first().seal)):
            self.assertEqual(self.found(known), "")
        self.assertIn("is not the one", self.found(anchor[: anchor.index("-") + 9]), "too little of it says nothing")
        with self.undone():
            self.raw("DELETE FROM jobs_seal WHERE id = %s", seal.pk)
            self.assertIn(f"Seal {seal.pk}, link {Link.objects.get(seal=seal.pk).number}, is gone.", self.found())
            # With its link, too: the one that follows does not fit any more.
            self.raw("DELETE FROM jobs_link WHERE seal = %s", seal.pk)
            self.assertIn("are missing", self.found())
        with self.undone():
            last = Link.objects.order_by("-number").first()
            self.raw("DELETE FROM jobs_seal WHERE id = %s", last.seal)
            self.raw("DELETE FROM jobs_link WHERE number = %s", last.number)
            self.assertEqual(self.found(), "", "what is cut off at the end is not seen from within")
            for written in (anchor, printed_link(last.seal) or anchor[: anchor.index("-") + 17]):
                self.assertIn("is not the one that was written down", self.found(written))
        with self.undone():
            one, two = Link.objects.order_by("number")[:2]
            self.raw(
                "UPDATE jobs_link SET seal = %s WHERE number = %s", "00000000-0000-0000-0000-000000000000", one.number
            )
            self.raw("UPDATE jobs_link SET seal = %s WHERE number = %s", one.seal, two.number)
            self.raw("UPDATE jobs_link SET seal = %s WHERE number = %s", two.seal, one.number)
            self.assertIn(f"link {one.number}", self.found())
        with self.undone():
            self.raw("DELETE FROM jobs_link WHERE seal = %s", seal.pk)
            self.assertIn("is not in the chain", self.found())
        # Without the key nobody makes it anew: what is made with another does not pass under the true one.
        with self.undone():
            self.raw("DELETE FROM jobs_link")
            with override_settings(SECRET_KEY="another"):
                link_all()
                self.assertEqual(self.found(), "")
            self.assertIn("is not as it was sealed", self.found())

    def test_the_command_says_that_all_is_well_or_where_it_is_not(self):
        said = StringIO()
        call_command("verify", stdout=said)
        self.assertIn(
            f"{Seal.objects.count()} seals are as they were sealed. The head of the chain: {head()}", said.getvalue()
        )
        self.raw("UPDATE jobs_seal SET reason = 'x'")
        with self.assertRaisesRegex(CommandError, "not as they were sealed"):
            call_command("verify", stdout=StringIO())
