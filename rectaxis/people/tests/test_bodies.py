"""Nothing large is taken of somebody unknown, and nothing is waited for without end: by the application as it is really served."""

import asyncio
from unittest.mock import patch

from django.conf import settings
from django.core.cache import cache
from django.db import OperationalError
from django.test import Client, TransactionTestCase
from django.urls import reverse

from rectaxis.common import bodies
from rectaxis.demo.business import PASSWORD, make_fleets, make_people
from rectaxis.people.bodies import MOST_OF_A_FLEET, most_for
from rectaxis.people.models import User
from rectaxis.people.signing_in import A_DAY_S

LARGE = reverse(settings.PLACES["bring-fleet"])


async def _echo(_scope, receive, send):
    """Reads all of it, as Django does, and says how much it was."""
    count, more = 0, True
    while more:
        message = await receive()
        if message["type"] == "http.disconnect":
            return
        count, more = count + len(message.get("body", b"")), message.get("more_body", False)
    await send({"type": "http.response.start", "status": 200, "headers": []})
    await send({"type": "http.response.body", "body": str(count).encode()})


class Bodies(TransactionTestCase):
    def setUp(self):
        cache.clear()
        self.addCleanup(cache.clear)
        make_people(make_fleets()[0])

    def ask(self, pieces, headers=(), pause=0.0, most=1_000):
        """The status and the body of an answer to a request that comes in pieces, and how many were left when it was given."""
        left, sent = list(pieces), []
        self.left = left

        async def receive():
            await asyncio.sleep(pause)
            return {"type": "http.request", "body": left.pop(0), "more_body": bool(left)}

        async def send(message):
            sent.append(message | {"left": len(left)})

        async def most_of(_path, _cookies):
            return most

        application = bodies.LimitedBodies(_echo, most_of)
        asyncio.run(application({"type": "http", "path": "/x/", "headers": list(headers)}, receive, send))
        return sent[0]["status"], sent[1]["body"], sent[0]["left"]

    def test_what_says_or_turns_out_to_be_too_large_is_refused_before_it_is_read_and_what_stalls_is_given_up(self):
        chunked = [(b"transfer-encoding", b"chunked")]
        self.assertEqual(self.ask([b"x" * 500] * 2, chunked)[:2], (200, b"1000"))
        status, words, left = self.ask([b"x" * 500] * 1_000, chunked)
        self.assertEqual((status, left), (413, 997))
        self.assertIn(b"larger than anything", words)
        # What is on its way is read away after the answer, which a sender that is cut off may not get; but not without end.
        self.assertEqual(self.left, [])
        with patch.object(bodies, "MOST", 5_000):
            self.ask([b"x" * 500] * 1_000, chunked)
        self.assertEqual(len(self.left), 987)
        self.assertEqual(self.ask([b"x"], [(b"content-length", b"1001")])[::2], (413, 1))
        with patch.object(bodies, "SLOWEST_S", 0.05):
            self.assertEqual(self.ask([b"x"] * 5, chunked, pause=0.2)[0], 408)
        with patch.object(bodies, "LONGEST_S", 0.1):
            self.assertEqual(self.ask([b"x"] * 50, chunked, pause=0.03)[0], 408)

    def test_little_is_taken_of_somebody_unknown_and_a_whole_fleet_of_who_manages_alone(self):
        self.assertEqual(most_for("/", {}), bodies.MOST_UNKNOWN)
        self.assertEqual(most_for(LARGE, {settings.SESSION_COOKIE_NAME: "made-up"}), bodies.MOST_UNKNOWN)
        for name, most in (("mara", bodies.MOST), ("jonah", MOST_OF_A_FLEET)):
            self.client.force_login(User.objects.get(username=name))
            cookies = {name: morsel.value for name, morsel in self.client.cookies.items()}
            self.assertEqual(most_for(LARGE, cookies), most)
            self.assertEqual(most_for("/elsewhere/", cookies), bodies.MOST)
        User.objects.filter(username="jonah").update(is_active=False)
        self.assertEqual(most_for(LARGE, cookies), bodies.MOST_UNKNOWN)

    def test_whoever_watches_is_told_whether_it_is_well_without_signing_in(self):
        for address in ("/health/live/", "/health/ready/"):
            answer = self.client.get(address)
            self.assertEqual((answer.status_code, answer["Cache-Control"]), (200, "no-store"))
        with patch("rectaxis.common.health.connection.cursor", side_effect=OperationalError("away")):
            answer = self.client.get("/health/ready/")
            self.assertEqual((answer.status_code, answer.content), (503, b"the database does not answer\n"))
            self.assertEqual(self.client.get("/health/live/").status_code, 200)

    def test_a_forged_address_does_not_evade_the_lock(self):
        for number in range(9):
            answer = self.client.post(
                "/sign-in/", {"login": "mara", "password": "wrong"}, headers={"X-Forwarded-For": f"10.0.0.{number}"}
            )
        self.assertEqual(answer.status_code, 429)

    def test_signed_out_everywhere_every_other_session_ends_and_this_one_goes_on(self):
        here, there, office = Client(), Client(), Client()
        for client, name in ((here, "mara"), (there, "mara"), (office, "jonah")):
            client.post("/sign-in/", {"login": name, "password": PASSWORD})
            self.assertEqual(client.get("/preferences/").status_code, 200)
        self.assertEqual([client.session.get_expiry_age() > A_DAY_S for client in (here, office)], [True, False])
        mara = User.objects.get(username="mara")
        here.post(f"/people/{mara.pk}/sign-out/")
        self.assertEqual((here.get("/preferences/").status_code, there.get("/preferences/").status_code), (200, 302))
        office.post(f"/people/{mara.pk}/sign-out/")
        self.assertEqual((here.get("/preferences/").status_code, office.get("/preferences/").status_code), (302, 200))
        self.assertEqual(office.post("/sign-out/")["Clear-Site-Data"], '"cache"')

    def test_whoever_tries_many_names_from_one_address_has_to_wait_and_nobody_elsewhere(self):
        tries = [
            self.client.post("/sign-in/", {"login": f"name-{number}", "password": "wrong"}).status_code
            for number in range(101)
        ]
        self.assertEqual((set(tries[:100]), tries[100]), ({200}, 429))
        elsewhere = Client(REMOTE_ADDR="10.1.2.3")
        self.assertEqual(elsewhere.post("/sign-in/", {"login": "mara", "password": PASSWORD}).status_code, 302)

    def test_the_application_that_is_served_has_these_limits(self):
        from rectaxis.asgi import application

        self.assertIsInstance(application, bodies.LimitedBodies)
        sent = []

        async def receive():
            self.assertTrue(sent, "nothing is read of what is too large before it is refused")
            return {"type": "http.disconnect"}

        async def send(message):
            sent.append(message)

        scope = {"type": "http", "method": "POST", "path": "/sign-in/", "headers": [(b"content-length", b"599000000")]}
        asyncio.run(application(scope, receive, send))
        self.assertEqual(sent[0]["status"], 413)
