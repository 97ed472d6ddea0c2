"""Lists, searches and pages beside a small database and beside one of many years: time as a ratio, and queries.

The small one has a single fleet of as many vehicles as each of the large one's, so that every page shows as much in both.
``RECTAXIS_SCALE`` is how many vehicles the large one has: 20,000 where it says nothing; ten visits each, twenty numbers a visit.
The copies in a visit and its statement are those of the demo's own; seals of the phases, which no list reads, are left out.
"""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, NamedTuple

from django.core.cache import cache
from django.db import connection
from django.test import Client
from django.test.utils import CaptureQueriesContext

from rectaxis.demo.business import make_demo
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.people.models import User
from rectaxis.record.models import Job
from rectaxis.years.standing import reckon_missing

A_FLEET, VISITS, ENTRIES = 200, 10, 20
_KEY = "('0190{kind:04x}-0000-7000-8000-' || lpad(to_hex({number}), 12, '0'))::uuid"
_ROUNDS = 9
_FLEETS = 60
"""So many fleets are in both, so that their list is as long."""
AIM = 1.3


def _key(kind: int, number: str) -> str:
    return _KEY.format(kind=kind, number=number)


@contextlib.contextmanager
def _bare(table: str) -> Iterator[None]:
    """A table without its indexes and references but the key: with them, each of millions of rows is looked up and sorted in by itself."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT conname, pg_get_constraintdef(oid) FROM pg_constraint WHERE conrelid = %s::regclass AND contype IN ('f', 'u')",
            [table],
        )
        constraints = cursor.fetchall()
        for name, _ in constraints:
            cursor.execute(f'ALTER TABLE {table} DROP CONSTRAINT "{name}"')
        cursor.execute(
            "SELECT indexname, indexdef FROM pg_indexes WHERE tablename = %s AND indexname NOT LIKE '%%_pkey'", [table]
        )
        indexes = cursor.fetchall()
        for name, _ in indexes:
            cursor.execute(f'DROP INDEX "{name}"')
        yield
        for _, made in indexes:
            cursor.execute(made)
        for name, made in constraints:
            cursor.execute(f'ALTER TABLE {table} ADD CONSTRAINT "{name}" {made}')


def grow(first: int, vehicles: int) -> None:
    """Vehicles from a number on, in fleets of 200, with eight years of visits, made in the database itself."""
    with _bare("jobs_entry"):
        _grow(first, vehicles)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def _grow(first: int, vehicles: int) -> None:
    last = first + vehicles - 1
    jobs = f"generate_series({first * VISITS}::bigint, {(last + 1) * VISITS - 1}::bigint) n"
    vehicle, fleet = _key(2, f"(n / {VISITS})"), _key(1, f"(n / {A_FLEET})")
    with connection.cursor() as cursor:
        for sql in (
            f"INSERT INTO fleets_fleet (id, name, yard) SELECT {_key(1, 'n')}, 'Fleet ' || n, 'Yard ' || n FROM generate_series({first // A_FLEET}, {max(last // A_FLEET, _FLEETS)}) n ON CONFLICT DO NOTHING",
            f"""INSERT INTO fleets_vehicle (id, fleet_id, unit, registration, vin, make, model, year, yard, layout)
                SELECT {_key(2, 'n')}, {fleet}, 'Unit ' || lpad(n::text, 6, '0'), 'IS ' || lpad(n::text, 6, '0'), 'RX9' || upper(substr(md5(n::text), 1, 8)) || lpad((n * 7919 % 1000000)::text, 6, '0'), v.make, v.model, 2014 + n % 12,
                'Yard ' || n % 5, v.layout FROM generate_series({first}, {last}) n, (SELECT * FROM fleets_vehicle WHERE unit = 'Van 9') v""",
            f"""INSERT INTO jobs_job (id, vehicle_id, kit_id, technician_id, planned_at, asked, status, layout, specification, rig, odometer_was, report_number, added)
                SELECT {_key(3, 'n')}, {vehicle}, j.kit_id, j.technician_id, now() - interval '1 day' * (290 * ({VISITS} - n % {VISITS}) - 280 + (n / {VISITS}) % 270) - interval '1 minute' * (n % 600),
                'Routine', 'done', j.layout, j.specification, j.rig, 10000 + 28000 * (n % {VISITS}), 'R-' || n, {ENTRIES + 2} FROM {jobs}, (SELECT j.* FROM jobs_job j JOIN fleets_vehicle v ON v.id = j.vehicle_id WHERE v.unit = 'Van 9' AND j.status = 'done' LIMIT 1) j""",
            f"""INSERT INTO jobs_seal (id, job_id, by_id, at, sequence, phase, job_file, results, sentences, core_version, digest, reason, revision, statement)
                SELECT {_key(4, 'n')}, {_key(3, 'n')}, s.by_id, now() - interval '1 hour', {ENTRIES + 2}, s.phase, '{{}}', '{{}}', '[]', s.core_version, s.digest, '', 1,
                jsonb_set(s.statement, '{{subject,day}}', to_jsonb(to_char(now() - interval '1 day' * (290 * ({VISITS} - n % {VISITS}) - 280 + (n / {VISITS}) % 270), 'YYYY-MM-DD')))
                FROM {jobs}, (SELECT s.* FROM jobs_seal s JOIN jobs_job j ON j.id = s.job_id JOIN fleets_vehicle v ON v.id = j.vehicle_id WHERE v.unit = 'Van 9' AND s.statement IS NOT NULL LIMIT 1) s""",
            f"""INSERT INTO jobs_entry (id, job_id, by_id, at, sequence, slot, typed, value, counts)
                SELECT {_key(5, f"n * {ENTRIES} + e")}, {_key(3, 'n')}, j.technician_id, j.planned_at + interval '2 minutes' * e, e + 1, 'before/toe/1/' || e, '1.5', 1.5, true
                FROM {jobs} CROSS JOIN generate_series(0, {ENTRIES - 1}) e JOIN jobs_job j ON j.id = {_key(3, 'n')}""",
            f"""INSERT INTO post_letter (id, key, "to", subject, body, said, secret, made_at, changed_at, status, tries, job_id)
                SELECT {_key(6, 'n')}, 'made-' || n, 'a@example.test', 'A report', 'x', '', false, now(), now(), 'sent', 1, {_key(3, 'n')} FROM {jobs} WHERE n % 5 = 0""",
        ):  # fmt: skip
            cursor.execute(sql)


def pages() -> Iterator[tuple[str, str, str]]:
    """Who asks, what, and for which address: about the same fleet in both databases."""
    fleet = Fleet.objects.get(name="Fleet 0")
    vehicle = Vehicle.objects.get(unit="Unit 000007")
    job = Job.objects.filter(vehicle=vehicle).latest("planned_at")
    yield "mara", "Today", "/"
    yield "mara", "find by unit", "/find/?q=unit+000077"
    yield "mara", "find by plate", "/find/?q=is000077"
    yield "mara", "find by the end of a VIN", "/find/?q=633520"
    yield "mara", "find by fleet and unit", "/find/?q=fleet+0+unit+000007"
    yield "mara", "find what is mistyped", "/find/?q=Uint+000077"
    yield "mara", "find by one letter", "/find/?q=i"
    yield "mara", "plan a visit", "/jobs/new/"
    yield "mara", "a vehicle", f"/find/{vehicle.pk}/"
    yield "mara", "a vehicle's years", f"/vehicles/{vehicle.pk}/years/"
    yield "mara", "fleets", "/fleets/"
    yield "mara", "a fleet", f"/fleets/{fleet.pk}/"
    yield "mara", "who needs a visit", f"/fleets/{fleet.pk}/years/"
    yield "mara", "a fleet's door", f"/fleets/{fleet.pk}/vehicles/"
    yield "mara", "what fleets wait for", "/asked/"
    yield "mara", "reports", "/reports/"
    yield "mara", "reports of a fleet", f"/reports/?fleet={fleet.pk}"
    yield "mara", "reports by day", "/reports/?since=2026-01-01&until=2026-06-30"
    yield "mara", "reports by unit", "/reports/?words=unit+000077"
    yield "mara", "a summary", f"/reports/summary.xlsx?fleet={fleet.pk}"
    yield "mara", "a visit", f"/jobs/{job.pk}/arrive/"
    yield "mara", "letters", "/letters/"
    yield "mara", "lists read in", "/lists/"
    yield "mara", "how the work goes", "/kits/agreement/"
    yield "mara", "figures", "/specifications/"
    yield "mara", "kits", "/kits/"
    yield "jonah", "people", "/people/"
    yield "viewer", "reports, by the fleet", "/reports/"
    yield "viewer", "the fleet's door, by the fleet", f"/fleets/{fleet.pk}/vehicles/"


class _Took(NamedTuple):
    """The quickest of some rounds in seconds, how many times as long as a bare page's quickest, and how many queries."""

    seconds: float
    bare: float
    asked: int


def _timed(ask: Callable[[], Any], bare: Callable[[], Any], most_s: float = 20.0) -> _Took:
    """What a page takes, fewer rounds where they take long. What else the machine does makes no round quicker; a bare page is asked for
    in turn, since the machine itself is not as quick some minutes later.
    """
    answer = ask()
    if answer.status_code != 200:
        raise SystemExit(f"{answer.request['PATH_INFO']} answered {answer.status_code}")
    with CaptureQueriesContext(connection) as caught:
        ask()
    asked = len([query for query in caught.captured_queries if query["sql"] not in ("BEGIN", "COMMIT")])
    times: dict[Callable[[], Any], list[float]] = {ask: [], bare: []}
    while len(times[ask]) < _ROUNDS and sum(times[ask]) < most_s:
        for one, took in times.items():
            started = time.perf_counter()
            one()
            took.append(time.perf_counter() - started)
    return _Took(min(times[ask]), min(times[ask]) / min(times[bare]), asked)


def _each() -> Iterator[tuple[str, _Took]]:
    """Each page's title, and what it takes."""
    if not User.objects.filter(username="viewer").exists():
        User.objects.create_user("viewer", role=User.Role.FLEET, fleet=Fleet.objects.get(name="Fleet 0"))
    for name, title, address in pages():
        client = Client()
        client.force_login(User.objects.get(username=name), backend="django.contrib.auth.backends.ModelBackend")
        yield title, _timed(partial(client.get, address), partial(client.get, "/preferences/"))


def report() -> None:
    """Print each page's queries and times in both databases."""
    vehicles = int(os.environ.get("RECTAXIS_SCALE", "20000"))
    make_demo()
    grow(0, A_FLEET)
    cache.clear()
    reckon_missing(Fleet.objects.get(name="Fleet 0"))
    few = dict(_each())
    started = time.perf_counter()
    grow(A_FLEET, vehicles - A_FLEET)
    visits = vehicles * VISITS
    print(
        f"{vehicles:,} vehicles, {visits:,} visits, {visits * ENTRIES:,} entries made in {time.perf_counter() - started:.0f} s, {size()}",
        flush=True,
    )
    slow = []
    for title, now in _each():
        before = few[title]
        ratio = now.bare / before.bare
        good = ratio <= AIM and now.asked == before.asked
        slow += [] if good else [title]
        print(
            f"{title:34} {before.asked:3} then {now.asked:3} queries {before.seconds * 1e3:8.1f} ms {now.seconds * 1e3:10.1f} ms "
            f"{ratio:8.2f} times{'' if good else '  <-'}",
            flush=True,
        )
    print(
        f"{len(slow)} of {len(few)} take more than {AIM} times as long against a bare page, or ask more"
        + (f": {', '.join(slow)}" if slow else "")
    )


def size() -> str:
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_size_pretty(pg_database_size(current_database()))")
        return str(cursor.fetchone()[0])
