"""Invited by a letter, and another password by a letter: once, in time, and nothing is said of who is there."""

import datetime as dt
import re
from unittest.mock import patch

from django.core import mail
from django.test import Client, TestCase, override_settings
from django.utils import timezone

from rectaxis.business.models import Business
from rectaxis.demo.business import make_people
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.post.models import Letter
from rectaxis.post.send import send

GOOD = "a long new password"


@override_settings(EMAIL_HOST="mail.example", SITE="http://testserver")
class Passwords(TestCase):
    def setUp(self):
        self.fleet = Fleet.objects.create(name="Harbour Post")
        make_people(self.fleet)
        Business.objects.create(name="Pier Alignment", mail_from="office@pier.example")
        self.office, self.anybody = Client(), Client()
        self.office.force_login(User.objects.get(username="jonah"))

    def came(self):
        """The link of the one letter that waits, once it is sent."""
        (letter,) = Letter.objects.filter(status="waiting")
        with patch("django.core.mail.backends.locmem.EmailBackend.open", create=True):
            self.assertEqual(send(str(letter.pk)).status, Letter.Status.SENT)
        self.assertEqual(Letter.objects.get(pk=letter.pk).body, "", "the link is not kept")
        return re.search(r"http://testserver(/\S+)", mail.outbox[-1].body)[1]

    def set_at(self, link, password=GOOD):
        page = self.anybody.get(link, follow=True)
        if not page.redirect_chain:
            return page
        return self.anybody.post(
            page.redirect_chain[-1][0], {"new_password1": password, "new_password2": password}, follow=True
        )

    def invite(self, **words):
        given = {"username": "ilse", "first_name": "Ilse", "last_name": "Rann", "email": "ilse@harbourpost.example", "role": "fleet",
                 "fleet": self.fleet.pk, "password": "", **words}  # fmt: skip
        return self.office.post("/people/new/", given)

    def test_a_manager_is_invited_sets_a_password_signs_in_and_sees_the_vehicles(self):
        self.assertContains(self.invite(email=""), "Give a password, or an e-mail address", status_code=422)
        self.assertEqual(self.invite().status_code, 302)
        link = self.came()
        self.assertContains(self.set_at(link, "short"), "at least 12 characters")
        self.set_at(link)
        self.assertContains(self.set_at(link), "leads nowhere any more")
        signed = self.anybody.post("/sign-in/", {"login": "ilse", "password": GOOD}, follow=True)
        self.assertContains(signed, "Vehicles, worst first")

    def test_who_forgot_gets_a_letter_not_too_often_and_the_answer_says_nothing_of_who_is_there(self):
        self.invite()
        self.set_at(self.came())
        Letter.objects.update(made_at=timezone.now() - dt.timedelta(hours=1))
        answers = [self.anybody.post("/forgot/", {"email": address}, follow=True).content.decode().count("letter is on its way")
                   for address in ("ilse@harbourpost.example", "ILSE@harbourpost.example", "nobody@x.example")]  # fmt: skip
        self.assertEqual(answers, [1, 1, 1])
        link = self.came()
        User.objects.filter(username="ilse").update(is_active=False)
        Letter.objects.update(made_at=timezone.now() - dt.timedelta(hours=1))
        self.anybody.post("/forgot/", {"email": "ilse@harbourpost.example"})
        self.assertFalse(Letter.objects.filter(status="waiting").exists(), "somebody shut out gets none")
        self.set_at(link, "another long password")
        refused = self.anybody.post("/sign-in/", {"login": "ilse", "password": "another long password"})
        self.assertEqual(refused.status_code, 200, "and does not get in by an old one")
        with patch(
            "django.contrib.auth.tokens.PasswordResetTokenGenerator._now",
            return_value=timezone.now().replace(tzinfo=None) + dt.timedelta(days=4),
        ):
            self.assertContains(self.anybody.get(link, follow=True), "leads nowhere any more")
