"""Anything at all sent to any address: refused or done, never broken.

What may be sent is read off the pages themselves: every form with its fields and choices, every link, every address of the table with keys of
things that are there. Hypothesis then says what else: other methods, other keys, fields left out, doubled, and filled with what nobody
would type; and files, spoiled. ``./run bench requests`` sends 20,000 requests and 2,000 files.
"""

from __future__ import annotations

import io
import json
import os
import re
import resource
import zipfile
from collections import Counter
from dataclasses import dataclass
from urllib.parse import parse_qsl, urlencode, urlsplit

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.test import Client, TestCase
from django.urls import Resolver404, URLResolver, get_resolver, resolve
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from lxml import html
from openpyxl import Workbook
from PIL import Image

from rectaxis.demo.rounds import make_rounds
from rectaxis.demo.years import STORIES, make_years
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.models import Kit
from rectaxis.people.models import User
from rectaxis.record.models import Job, Move, Photo
from rectaxis.rounds.models import Call, Crew, Ferry, Place, Run
from rectaxis.specs.models import Specification
from tests.demo import put_out_the_demo

REQUESTS = int(os.environ.get("RECTAXIS_FUZZ_REQUESTS", "300"))
FILES = int(os.environ.get("RECTAXIS_FUZZ_UPLOADS", "40"))
AT_ONCE = 20
"""So many requests follow each other, each on what the ones before left, before all is put back."""
PEOPLE = ("mara", "jonah", "post", "")
WHO = ("mara", "mara", "mara", "jonah", "jonah", "post", "")
_PAGES_OF_A_ROUTE = 2 if "RECTAXIS_FUZZ_REQUESTS" in os.environ else 1
ANYWAY = settings(database=None, deadline=None, phases=(Phase.generate,), suppress_health_check=list(HealthCheck))

ODD = st.one_of(
    st.text(st.characters(exclude_categories=["Cs"]), max_size=40),
    st.sampled_from((
        "", " ", "\x00", "0", "-1", "1e999", "nan", "-inf", "99999999999999999999", "1/0", "5 7/8", "0°12'", "½", "٣", "2026-02-30", "0001-01-01", "9999-12-31",
        "2026-11-27T25:61", "' OR 1=1 --", "<script>alert(1)</script>", "{{ 7*7 }}", "../../etc/passwd", "\u202e", "a" * 5_000, "\U0001f69a", "null", "[]", "{}",
        "01900000-0000-7000-8000-000000000000", "before/toe_scales/1/left_mm", "before//", "/", "%00", "before/camber/1/left/deg",
    )),
    st.integers().map(str), st.floats().map(str), st.uuids().map(str), st.dates().map(str),
)  # fmt: skip
JSON = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), ODD, st.just("\ud800 half a letter")),
    lambda of: st.one_of(st.lists(of, max_size=4), st.dictionaries(st.sampled_from(("entries", "slots", "id", "slot", "typed", "replaces", "taken", "job")), of, max_size=5)),
    max_leaves=12,
)  # fmt: skip


@dataclass(frozen=True)
class Target:
    """Something that may be asked: an address, how, and the fields that it takes, each with what may stand there."""

    path: str
    method: str
    fields: tuple[tuple[str, tuple[str, ...]], ...] = ()
    files: tuple[str, ...] = ()


def routes(patterns, before=""):
    """Every address of the program with its converters."""
    for pattern in patterns:
        route = before + str(pattern.pattern)
        if isinstance(pattern, URLResolver):
            yield from routes(pattern.url_patterns, route)
        else:
            yield route, {**pattern.pattern.converters}


def crawled(client):
    """What a person finds: from page to page, a few of each sort."""
    found, seen, todo = set(), Counter(), ["/"]
    known = set(todo)
    while todo:
        path = todo.pop(0)
        parts = urlsplit(path)
        found.add(Target(parts.path, "GET", tuple((name, (value,)) for name, value in parse_qsl(parts.query))))
        try:
            route = resolve(parts.path).route
        except Resolver404:
            continue
        seen[route] += 1
        if seen[route] > _PAGES_OF_A_ROUTE or "." in parts.path.rpartition("/")[2]:
            continue  # met often enough, or a file, in which nothing leads on
        answer = client.get(path, follow=True)
        if not answer.get("Content-Type", "").startswith("text/html") or not answer.content.strip():
            continue
        page = html.fromstring(answer.content)
        for form in page.forms:
            found.add(Target(urlsplit(form.action or path).path, form.method, *fields_of(form)))
        here = answer.request["PATH_INFO"]
        for link in (*page.xpath("//@href"), *page.xpath("//@*[starts-with(name(), 'hx-') and contains(., '/')]")):
            leads = link if link.startswith("/") else here + link if link.startswith("?") else ""
            if leads and not leads.startswith("/static/") and leads not in known:
                known.add(leads)
                todo.append(leads)
    return found


def fields_of(form):
    """A form's fields with what may stand there, and the names of its files."""
    fields, files = {}, []
    for field in form.xpath(".//*[@name]"):
        name = field.get("name")
        if name == "csrfmiddlewaretoken":
            continue
        if field.get("type") == "file":
            files.append(name)
            continue
        options = tuple(option.get("value", "") for option in field.xpath(".//option"))
        fields[name] = (*fields.get(name, ()), *(options or (field.get("value") or field.text or "",)))
    return tuple((name, values[:40]) for name, values in fields.items()), tuple(files)


def a_picture():
    made = io.BytesIO()
    Image.new("RGB", (60, 40), "teal").save(made, "JPEG")
    return made.getvalue()


def a_workbook():
    made, book = io.BytesIO(), Workbook()
    book.active.append(("Unit", "Fleet", "Plate"))
    book.active.append(("Van 70", "Harbour Post", "IS 700"))
    book.save(made)
    return made.getvalue()


def a_folder():
    made = io.BytesIO()
    with zipfile.ZipFile(made, "w") as folder:
        folder.writestr("manifest.json", json.dumps({"format": "rectaxis-fleet", "version": 1, "files": {}}))
        folder.writestr("fleet.json", "[]")
    return made.getvalue()


def spoiled(good):
    """A good file with bytes changed, cut off, doubled; or none at all."""

    @st.composite
    def build(draw):
        data = bytearray(draw(st.sampled_from(good)))
        for _ in range(draw(st.integers(0, 6))):
            at = draw(st.integers(0, max(len(data) - 1, 0)))
            match draw(st.sampled_from(("change", "cut", "double", "insert"))):
                case "change" if data:
                    data[at] = draw(st.integers(0, 255))
                case "cut":
                    del data[at : at + draw(st.integers(1, 40))]
                case "double":
                    data[at:at] = data[at : at + draw(st.integers(1, 200))]
                case _:
                    data[at:at] = draw(st.binary(max_size=20))
        return draw(st.sampled_from((bytes(data), bytes(data[: len(data) // 2]), bytes(data)))), draw(
            st.sampled_from(("a.jpg", "a.csv", "a.xlsx", "a.zip", "a.json", "../a", "a\x00b", "é.png", ""))
        )

    return build()


class Anything(TestCase):
    maxDiff = None

    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        make_years(User.objects.get(username="mara"), STORIES[:1])
        make_rounds(User.objects.get(username="jonah"))
        cls.sessions, targets = {}, set()
        for name in PEOPLE:
            client = Client(raise_request_exception=False)
            if name:
                client.force_login(User.objects.get(username=name))
                targets |= crawled(client)
            cls.sessions[name] = client.cookies
        models = (Job, Vehicle, Fleet, Kit, Specification, User, Move, Photo, Place, Call, Crew, Ferry, Run)
        keys = tuple(str(key) for model in models for key in model.objects.values_list("pk", flat=True)[:6])
        words = (
            "before",
            "after",
            "set",
            "read",
            "judge",
            "up",
            "down",
            "pause",
            "csv",
            "xlsx",
            "a3",
            "pdf",
            "A",
            "0",
            "1",
            "nobody",
        )
        cls.places = {
            "UUIDConverter": keys,
            "IntConverter": ("0", "1", "7", "99999999999"),
            "StringConverter": words,
            "SlugConverter": words,
            "PathConverter": ("job/", "call/x", *(f"{kind}/{key}" for kind in ("job", "call") for key in keys)),
        }
        cls.routes = sorted(routes(get_resolver().url_patterns))
        cls.targets = sorted(targets, key=repr)
        cls.takes_files = [one for one in cls.targets if one.files]
        cls.good = cls.good_files()

    @classmethod
    def good_files(cls):
        return [
            a_picture(),
            a_workbook(),
            a_folder(),
            b"Unit,Fleet\nVan 70,Harbour Post\n",
            json.dumps(cls.job_file()).encode(),
        ]

    @classmethod
    def job_file(cls):
        return Job.objects.get(vehicle__unit="Van 9", status="done").seal_set.get(phase="before").job_file

    def address(self, draw):
        """An address of the table, with keys of what is there, or of nothing."""
        route, converters = draw(st.sampled_from(self.routes))

        def place(found):
            return draw(st.sampled_from(self.places[type(converters[found[1]]).__name__]))

        return "/" + re.sub(r"<(?:\w+:)?(\w+)>", place, route)

    def request(self, draw, client):
        """Send something, and answer with what came of it and how to send it again."""
        target = draw(st.sampled_from(self.targets))
        path = target.path if draw(st.integers(0, 3)) else self.address(draw)
        method = draw(st.sampled_from((*[target.method.upper()] * 16, "GET", "POST", "HEAD", "PUT", "DELETE")))
        if method == "POST" and draw(st.integers(0, 4)) == 0:
            body = json.dumps(draw(JSON))
            return client.generic(method, path, body, content_type="application/json"), (method, path, body)
        data = {}
        for name, values in target.fields:
            if draw(st.integers(0, 9)):
                data[name] = draw(st.one_of(st.sampled_from(values or ("",)), ODD))
                if draw(st.integers(0, 15)) == 0:
                    data[name] = [data[name], draw(ODD)]
        for name in target.files:
            content, called = draw(spoiled(self.good))
            data[name] = SimpleUploadedFile(called or "a", content)
        given = {name: value for name, value in data.items() if not isinstance(value, SimpleUploadedFile)}
        if method in ("GET", "HEAD"):
            return client.generic(method, path, QUERY_STRING=urlencode(given, doseq=True, errors="replace")), (
                method,
                path,
                given,
            )
        return client.post(path, data) if method == "POST" else client.generic(method, path), (method, path, given)

    def client_of(self, name):
        client = Client(raise_request_exception=False)
        client.cookies = type(self.sessions[name])(self.sessions[name].output(header="", sep=";"))
        return client

    def sent(self, draw, send, times):
        """Send so many one after the other, then put all back; what broke is said with how to send it again."""
        client, broken = self.client_of(draw(st.sampled_from(WHO))), []
        with transaction.atomic():
            for _ in range(times):
                with transaction.atomic():
                    answer, how = send(draw, client)
                    if answer.status_code >= 500:
                        broken.append((answer.status_code, how))
                        transaction.set_rollback(True)
            transaction.set_rollback(True)
        return broken

    def test_no_request_breaks_anything(self):
        broken, counts = [], Counter()

        def send(draw, client):
            answer, how = self.request(draw, client)
            counts[answer.status_code] += 1
            return answer, how

        @settings(ANYWAY, max_examples=max(1, REQUESTS // AT_ONCE))
        @given(st.data())
        def all_of_them(data):
            broken.extend(self.sent(data.draw, send, AT_ONCE))

        all_of_them()
        if "RECTAXIS_FUZZ_REQUESTS" in os.environ:
            print(f"{counts.total():,} requests to {len(self.routes)} addresses: {dict(sorted(counts.items()))}")
        self.assertEqual(broken, [])
        self.assertGreater(counts[200], REQUESTS // 20, "most of what is sent must be something")

    def test_no_spoiled_file_breaks_anything_or_takes_much_memory(self):
        self.assertGreater(len(self.takes_files), 4)
        before, broken, counts = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss, [], Counter()

        def send(draw, client):
            target = draw(st.sampled_from(self.takes_files))
            content, called = draw(spoiled(self.good))
            data = {name: draw(st.sampled_from(values or ("",))) for name, values in target.fields}
            data |= {name: SimpleUploadedFile(called or "a", content) for name in target.files}
            answer = client.post(target.path, data)
            counts[answer.status_code] += 1
            return answer, (target.path, called, content[:60])

        @settings(ANYWAY, max_examples=max(1, FILES // 10))
        @given(st.data())
        def all_of_them(data):
            broken.extend(self.sent(data.draw, send, 10))

        all_of_them()
        grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before) / 1024
        if "RECTAXIS_FUZZ_UPLOADS" in os.environ:
            print(
                f"{counts.total():,} files to {len(self.takes_files)} forms: {dict(sorted(counts.items()))}; {grown:.0f} MB more at most"
            )
        self.assertEqual(broken, [])
        self.assertLess(grown, 400)
