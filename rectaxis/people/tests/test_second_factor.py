"""A second factor: asked for at each signing in, used once, guessed by nobody, taken away where it is lost."""

import base64
import re
import time

from allauth.mfa.models import Authenticator
from cryptography.hazmat.primitives.hashes import SHA1
from cryptography.hazmat.primitives.twofactor.totp import TOTP
from django.core.cache import cache
from django.test import Client, TestCase, override_settings

from rectaxis.demo.business import PASSWORD, make_people
from rectaxis.fleets.models import Fleet
from rectaxis.people.models import User
from rectaxis.people.signing_in import SecondFactors
from rectaxis.post.models import Letter


def code_of(secret, later=0):
    """What an authenticator app would show: by the library cryptography, after RFC 6238."""
    return TOTP(base64.b32decode(secret), 6, SHA1(), 30).generate(time.time() + later).decode()


class SecondFactor(TestCase):
    def setUp(self):
        make_people(Fleet.objects.create(name="Harbour Post"))
        User.objects.update(email="somebody@pier.example")
        self.person = User.objects.get(username="jonah")
        self.addCleanup(cache.clear)

    def password(self, name="jonah", client=None):
        client = client or Client()
        return client, client.post("/sign-in/", {"login": name, "password": PASSWORD})

    def turned_on(self, name="jonah"):
        """The secret, and the recovery codes that were shown: who it is is asked again before."""
        client, _ = self.password(name)
        again = client.get("/second-factor/totp/activate/")["Location"]
        self.assertContains(client.post(again, {"password": "wrong"}), "Incorrect password")
        asked = client.post(again, {"password": PASSWORD}, follow=True)
        secret = re.search(r'class="secret">(\w+)<', asked.content.decode())[1]
        self.assertContains(client.post("/second-factor/totp/activate/", {"code": "12345"}), "code does not fit")
        with self.captureOnCommitCallbacks(execute=True):
            shown = client.post("/second-factor/totp/activate/", {"code": code_of(secret)}, follow=True)
        return secret, re.findall(r"<li>(\d{8})</li>", shown.content.decode())

    def test_the_password_alone_opens_nothing_and_a_code_lets_in_once(self):
        secret, spare = self.turned_on()
        self.assertEqual(len(spare), 10)
        self.assertNotIn(secret, str(Authenticator.objects.values_list("data", flat=True)), "it is kept encrypted")
        (letter,) = Letter.objects.all()
        self.assertIn("a code is asked for", letter.body)

        client, answer = self.password()
        self.assertEqual(answer["Location"], "/second-factor/authenticate/")
        for closed in ("/", "/fleets/", "/second-factor/", "/second-factor/recovery-codes/"):
            self.assertIn("/sign-in/", client.get(closed)["Location"])
        self.assertContains(client.post(answer["Location"], {"code": "000000"}), "code does not fit")
        code = code_of(secret, later=30)
        self.assertEqual(client.post(answer["Location"], {"code": code})["Location"], "/")
        self.assertEqual(client.get("/").status_code, 200)

        for given, opens in ((code, False), (spare[0], True), (spare[0], False), (spare[1], True)):
            client, answer = self.password()
            client.post(answer["Location"], {"code": given})
            self.assertEqual(client.get("/").status_code == 200, opens, given)

    def test_codes_cannot_be_guessed_and_others_are_not_locked_by_that(self):
        secret, _ = self.turned_on()
        client, answer = self.password()
        for number in range(5):
            client.post(answer["Location"], {"code": f"{number:06}"})
        tried = client.post(answer["Location"], {"code": code_of(secret, later=30)})
        self.assertContains(tried, "Too many tries")
        self.assertEqual(client.get("/").status_code, 302)
        other, _ = self.password("mara")
        self.assertEqual(other.get("/").status_code, 200)

    def test_under_another_key_no_code_fits(self):
        secret, spare = self.turned_on()
        kept = SecondFactors().encrypt(secret)
        self.assertEqual(SecondFactors().decrypt(kept), secret)
        with override_settings(SECRET_KEY="another"):
            guesses = {SecondFactors().decrypt(kept) for _ in range(3)}
        self.assertEqual((len(guesses), min(map(len, guesses))), (3, 32), "one that is always the same would be known")
        with override_settings(SECRET_KEY="another"):
            client, answer = self.password()
            for given in (code_of(secret, later=30), spare[0]):
                self.assertContains(client.post(answer["Location"], {"code": given}), "code does not fit")

    def test_whoever_manages_people_is_asked_for_one_and_may_go_on_without(self):
        with override_settings(DEMO=False):
            client, answer = self.password()
            self.assertEqual(answer["Location"], "/second-factor/")
            self.assertContains(client.get("/second-factor/"), "Please turn it on")
            self.assertEqual(self.password("mara")[1]["Location"], "/")
        self.assertEqual(client.get("/").status_code, 200)

    def test_the_office_takes_away_what_is_lost_and_the_person_is_told(self):
        self.turned_on("mara")
        Letter.objects.all().delete()
        mara, office = User.objects.get(username="mara"), self.password()[0]
        self.assertContains(office.get("/people/"), "it is lost")
        for client, expected in ((self.password("post")[0], 403), (office, 302), (office, 302)):
            self.assertEqual(client.post(f"/people/{mara.pk}/second-factor/").status_code, expected)
        self.assertEqual(self.password("mara")[1]["Location"], "/")
        self.assertIn("took away your second factor", Letter.objects.get().body)
        own = User.objects.get(username="jonah")
        self.assertEqual(office.post(f"/people/{own.pk}/second-factor/").status_code, 403)
