"""Every action, called by every role, on jobs in every state: each asks for permission itself, and leaves closed records alone."""

import datetime as dt
import importlib
import inspect
import pkgutil
from unittest.mock import patch

import httpx
from django.core.exceptions import PermissionDenied
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test import TestCase
from django.utils import timezone
from uuid6 import uuid7

import rectaxis
from rectaxis.business.actions.change_business import change_business
from rectaxis.demo.doing import look_over, read_all
from rectaxis.demo.extras import drawn_photo
from rectaxis.devices.actions.calibrate_cameras import (
    begin_calibration,
    drop_calibration,
    leave_out_held,
    take_held,
    use_calibration,
)
from rectaxis.devices.actions.check_itself import begin_self_check, drop_self_check, take_pose
from rectaxis.devices.actions.make_sign import make_sign
from rectaxis.devices.actions.pair_device import ask_device, pair_device, part_with_device
from rectaxis.devices.models import Calibration, Device, HeldShot, SelfCheck, Sign
from rectaxis.door.actions.answer_advice import answer_advice
from rectaxis.door.actions.ask_for_visit import ask_for_visit, settle_request
from rectaxis.door.actions.ask_question import answer_question, ask_question
from rectaxis.exchange.actions.ask_for_export import ask_for_export
from rectaxis.exchange.actions.bring_fleet import bring_fleet
from rectaxis.exchange.actions.read_list import read_list, say_columns, take_list, undo_list
from rectaxis.exchange.models import Import
from rectaxis.fleets.actions.add_fleet import add_fleet
from rectaxis.fleets.actions.add_vehicle import add_vehicle
from rectaxis.fleets.actions.change_fleet import change_fleet
from rectaxis.fleets.actions.change_vehicle import change_vehicle
from rectaxis.fleets.actions.set_adjusters import set_adjusters
from rectaxis.fleets.models import Fleet, Vehicle
from rectaxis.kits.actions.add_kit import add_kit
from rectaxis.kits.actions.change_kit import change_kit
from rectaxis.kits.models import Kit
from rectaxis.people.actions.add_person import add_person
from rectaxis.people.actions.change_person import change_person
from rectaxis.people.actions.sign_out_everywhere import sign_out_everywhere
from rectaxis.people.actions.take_second_factor import take_second_factor
from rectaxis.people.models import User
from rectaxis.post.actions.change_contact import add_contact, change_contact
from rectaxis.post.actions.invite_person import invite_person
from rectaxis.post.actions.send_report import send_report, try_again
from rectaxis.post.models import Contact, Letter
from rectaxis.record.models import Entry, Event, Job, Link, Mark, Move, Photo, Seal, Shot, Signature, Taught
from rectaxis.record.slot import DAMAGE, Phase
from rectaxis.reports.actions.make_batch import cancel_batch, make_batch
from rectaxis.reports.actions.share_report import revoke_link, share_report
from rectaxis.reports.search import Wanted
from rectaxis.rounds.tests import of_days
from rectaxis.specs.actions.add_specification import add_specification
from rectaxis.specs.actions.change_specification import change_specification, delete_specification
from rectaxis.specs.models import Specification
from rectaxis.visit.actions.add_photo import add_photo, set_photo_aside
from rectaxis.visit.actions.change_visit import change_visit
from rectaxis.visit.actions.choose_figures import choose_figures
from rectaxis.visit.actions.confirm_readings import confirm_readings
from rectaxis.visit.actions.correct_reading import correct_reading
from rectaxis.visit.actions.go_by_check import go_by_check
from rectaxis.visit.actions.hand_over import hand_over
from rectaxis.visit.actions.hold_job import hold_job
from rectaxis.visit.actions.lift_wheel import lift_wheel, put_down
from rectaxis.visit.actions.look_at_scales import look_at_scales
from rectaxis.visit.actions.look_on import look_on
from rectaxis.visit.actions.mark_damage import mark_damage, set_mark_aside
from rectaxis.visit.actions.open_job import open_job
from rectaxis.visit.actions.read_in_job_file import read_in_job_file
from rectaxis.visit.actions.record_move import record_move, strike_move, undo_move
from rectaxis.visit.actions.save_entries import save_entries
from rectaxis.visit.actions.seal_phase import seal_phase
from rectaxis.visit.actions.sign_report import sign_report
from rectaxis.visit.actions.take_shot import leave_out_shot, see_simulated, take_over_sighting, take_shot
from rectaxis.visit.actions.throw_away_learned import throw_away_learned
from rectaxis.years.actions.note_happening import note_happening, take_back
from rectaxis.years.actions.set_reckoning import set_reckoning
from tests.demo import put_out_the_demo

SLOT = "before/outboard_pair/2/left_mm"
ROD = "A2 left tie rod"
FILE = b'{"format": "rectaxis-job", "version": 1, "vehicle": {"axles": [{"role": "trailer", "position_mm": 0, "track_mm": 1800}]}}'
STATES = ("open", "before", "after", "done", "ended")
NEVER, ALWAYS, WHILE_OPEN = (), STATES, ("open", "before", "after")


def saved(person, job):
    """One answer saved; what is refused is an error here."""
    item = {"id": str(uuid7()), "slot": "arrive/noted", "typed": "rattles"}
    for one in save_entries(person, job, [item]):
        if one.status != "saved":
            raise ValueError(one.text)


def replan(person, job):
    """The visit by somebody else, as it is otherwise."""
    return change_visit(
        person, job, job.kits, job.rig.get("scope", "all"), job.planned_at, User.objects.get(username="jonah")
    )


def photo_of(job):
    return Photo.objects.filter(job=job).first()


def taught_of(job):
    """Something that was learned of the job's vehicle."""
    return Taught.objects.filter(make=job.vehicle.make, model=job.vehicle.model).first()


def paired(person):
    """A device that answers as it should, paired with a kit."""
    who = {"format": "rectaxis-device", "version": 1, "id": "1", "kind": "gauge", "kit": "angle_gauge", "serial": "1",
           "clock": timezone.now().isoformat()}  # fmt: skip
    with patch("rectaxis.devices.actions.pair_device.httpx.get", return_value=httpx.Response(200, json=who)):
        return pair_device(person, Kit.objects.get(code="angle_gauge"), "http://127.0.0.1:9", "token")


def a_device():
    """A device that was paired before."""
    return Device.objects.get(name="Gauge")


# Of a job: how it is called, and in which states a technician gets it done. Elsewhere it is refused with a sentence.
ON_A_JOB = {
    save_entries: (saved, WHILE_OPEN),
    add_photo: (lambda p, j: add_photo(p, j, str(DAMAGE), "a.jpg", drawn_photo()), WHILE_OPEN),
    set_photo_aside: (lambda p, j: set_photo_aside(p, photo_of(j), removed=True), WHILE_OPEN),
    mark_damage: (lambda p, j: mark_damage(p, j, uuid7(), 0.5, 0.5, "dent"), WHILE_OPEN),
    sign_report: (
        lambda p, j: sign_report(p, j, uuid7(), "customer", "Edda Quill", "[[[0, 0], [0.5, 1], [1, 0], [1, 1]]]"),
        WHILE_OPEN,
    ),
    set_mark_aside: (lambda p, j: set_mark_aside(p, Mark.objects.filter(job=j).first(), removed=True), WHILE_OPEN),
    record_move: (lambda p, j: record_move(p, j, uuid7(), ROD, by="1"), ("open", "before")),
    undo_move: (lambda p, j: undo_move(p, j, uuid7(), Move.objects.filter(job=j).last().pk), ("open", "before")),
    strike_move: (lambda p, j: strike_move(p, j, uuid7(), Move.objects.filter(job=j).last().pk), ("open", "before")),
    lift_wheel: (lift_wheel, ("open", "before")),
    put_down: (put_down, ("open", "before")),
    seal_phase: (
        lambda p, j: seal_phase(p, j, Phase.BEFORE),
        (*WHILE_OPEN, "done"),
    ),  # what is sealed is answered with its seal
    correct_reading: (lambda p, j: correct_reading(p, j, SLOT, "31", "misread"), ("before", "after", "done")),
    hand_over: (hand_over, ("before", "after", "done")),
    hold_job: (lambda p, j: hold_job(p, j, "pause"), WHILE_OPEN),
    throw_away_learned: (lambda p, j: throw_away_learned(p, j, taught_of(j).pk, aside=True), WHILE_OPEN),
    look_at_scales: (lambda p, j: look_at_scales(p, j, [SLOT]), ALWAYS),
    confirm_readings: (lambda p, j: confirm_readings(p, j, 1, sweep=False), ("open", "before")),
    choose_figures: (lambda p, j: choose_figures(p, j, "general"), ("open",)),
    take_shot: (lambda p, j: take_shot(p, j, "before", "roll", a_device()), ()),  # their kit has no cameras
    see_simulated: (lambda p, j: see_simulated(p, j, Phase.SET), ()),
    leave_out_shot: (lambda p, j: leave_out_shot(p, a_shot(p, j)), WHILE_OPEN),
    take_over_sighting: (take_over_sighting, ()),
    go_by_check: (go_by_check, ()),  # no device has checked their kit
    look_on: (lambda p, j: look_on(p, j, "before", "roll"), ()),
}
WORKS_HERE, MEASURES, MANAGES = ("mara", "jonah"), ("mara",), ("jonah",)
ASKS = ("mara", "jonah", "post")
SEES = (*ASKS, "holm")
# Of no job: how it is called, and who may.
OTHERS = {
    open_job: (lambda p, v: open_job(p, v, Kit.objects.get(code="flag_lasers"), timezone.now()), WORKS_HERE),
    read_in_job_file: (lambda p, v: read_in_job_file(p, v, FILE), MEASURES),
    add_fleet: (lambda p, _: add_fleet(p, "New", "Quay"), WORKS_HERE),
    add_vehicle: (lambda p, v: add_vehicle(p, v.fleet, v.layout, unit="New"), WORKS_HERE),
    set_adjusters: (lambda p, v: set_adjusters(p, v, []), WORKS_HERE),
    add_kit: (lambda p, _: add_kit(p, "New", "flag_lasers", None), WORKS_HERE),
    add_specification: (lambda p, _: add_specification(p, [], name="New"), WORKS_HERE),
    change_fleet: (lambda p, v: change_fleet(p, v.fleet, "Other", "Quay"), WORKS_HERE),
    change_vehicle: (lambda p, v: change_vehicle(p, v, v.layout, year=2020), WORKS_HERE),
    change_kit: (lambda p, v: change_kit(p, Kit.objects.first(), "Other", None), WORKS_HERE),
    change_visit: (lambda p, v: replan(p, v.jobs.first()), WORKS_HERE),
    change_specification: (lambda p, _: change_specification(p, Specification.objects.first(), source="x"), WORKS_HERE),
    delete_specification: (lambda p, _: delete_specification(p, Specification.objects.get(name="Unused")), WORKS_HERE),
    add_person: (lambda p, _: add_person(p, "new", "a long password"), MANAGES),
    change_person: (lambda p, _: change_person(p, User.objects.get(username="post"), first_name="Ada"), MANAGES),
    take_second_factor: (lambda p, _: take_second_factor(p, User.objects.get(username="post")), MANAGES),
    pair_device: (lambda p, _: paired(p), WORKS_HERE),
    ask_device: (lambda p, _: ask_device(p, a_device(), "identify"), WORKS_HERE),
    part_with_device: (lambda p, _: part_with_device(p, a_device()), WORKS_HERE),
    begin_calibration: (lambda p, _: begin_calibration(p, with_cameras()), WORKS_HERE),
    take_held: (lambda p, _: take_held(p, a_calibration(p)), WORKS_HERE),
    leave_out_held: (lambda p, _: leave_out_held(p, *a_held_shot(p)), WORKS_HERE),
    drop_calibration: (lambda p, _: drop_calibration(p, a_calibration(p)), WORKS_HERE),
    use_calibration: (lambda p, _: use_calibration(p, a_calibration(p)), WORKS_HERE),
    begin_self_check: (lambda p, _: begin_self_check(p, a_device()), WORKS_HERE),
    take_pose: (lambda p, _: take_pose(p, a_check(), "0", '{"camber/1/left": 0.1}'), WORKS_HERE),
    drop_self_check: (lambda p, _: drop_self_check(p, a_check()), WORKS_HERE),
    make_sign: (lambda p, v: make_sign(p, v.jobs.first().pk), MEASURES),
    make_batch: (lambda p, _: make_batch(p, Wanted(), "zip"), SEES),
    cancel_batch: (
        lambda p, _: cancel_batch(p, make_batch(User.objects.get(username="mara"), Wanted(), "zip")),
        ("mara",),
    ),
    answer_advice: (lambda p, _: answer_advice(p, Job.objects.get(vehicle__unit="Van 9"), 0, "done", ""), ASKS),
    ask_for_visit: (lambda p, v: ask_for_visit(p, v, "It pulls"), ASKS),
    note_happening: (lambda p, v: note_happening(p, v, day=dt.date(2026, 5, 4), kind="strike", what="A kerb"), ASKS),
    take_back: (lambda p, v: take_back(p, a_happening(v)), ASKS),
    set_reckoning: (lambda p, v: set_reckoning(p, v.fleet, tyre_price=200.0), ASKS),
    ask_for_export: (lambda p, v: ask_for_export(p, v.fleet), SEES),
    bring_fleet: (lambda p, _: bring_fleet(p, SimpleUploadedFile("a.zip", b"PK")), MANAGES),
    read_list: (lambda p, _: read_list(p, "fleets", "a.csv", A_LIST), WORKS_HERE),
    say_columns: (lambda p, _: say_columns(p, a_list(), ["name"], {}), WORKS_HERE),
    take_list: (lambda p, _: take_list(p, a_list(), leave_out=False), WORKS_HERE),
    undo_list: (lambda p, _: undo_list(p, a_list("done")), WORKS_HERE),
    settle_request: (lambda p, v: settle_request(p, a_wish(v), "Planned for Monday"), WORKS_HERE),
    ask_question: (lambda p, _: ask_question(p, Job.objects.get(vehicle__unit="Van 9"), "Why?"), ASKS),
    answer_question: (lambda p, _: answer_question(p, a_question(), "Because."), WORKS_HERE),
    share_report: (lambda p, _: share_report(p, Job.objects.get(vehicle__unit="Van 9"), 7), SEES),
    revoke_link: (
        lambda p, _: revoke_link(
            p, share_report(User.objects.get(username="mara"), Job.objects.get(vehicle__unit="Van 9"), 7)[0]
        ),
        SEES,
    ),
    sign_out_everywhere: (lambda p, _: sign_out_everywhere(p, somebody()), MANAGES),
    invite_person: (lambda p, _: invite_person(p, somebody()), MANAGES),
    add_contact: (lambda p, v: add_contact(p, v.fleet, name="New", email="new@x.example"), ASKS),
    change_contact: (lambda p, v: change_contact(p, a_contact(v), wants="each"), ASKS),
    send_report: (lambda p, v: send_report(p, Job.objects.get(vehicle__unit="Van 9"), [a_contact(v)]), WORKS_HERE),
    try_again: (lambda p, v: try_again(p, a_letter(v)), WORKS_HERE),
    change_business: (lambda p, _: change_business(p, name="Pier Alignment"), MANAGES),
    **of_days.ACTIONS,
}
NOTHING_THERE = {(make_batch, "stranger")}
"""Who may, but of whom there is nothing: their fleet has no report."""
COUNTED = (Device, HeldShot, SelfCheck, Sign, Entry, Event, Fleet, Job, Kit, Link, Mark, Move, Photo, Seal, Signature, Specification, Taught,
           Vehicle)  # fmt: skip


def a_contact(vehicle):
    found, _ = Contact.objects.get_or_create(fleet=vehicle.fleet, email="edda@x.example", defaults={"name": "Edda"})
    return found


def somebody():
    return User.objects.get_or_create(username="new", defaults={"email": "new@x.example"})[0]


def a_wish(vehicle):
    return ask_for_visit(User.objects.get(username="post"), vehicle, "It wanders")


def a_happening(vehicle):
    return note_happening(
        User.objects.get(username="post"), vehicle, day=dt.date(2026, 5, 5), kind="other", what="A note"
    )


A_LIST = b"Name\nGull Freight\n"


def a_list(status="read"):
    made = read_list(User.objects.get(username="mara"), "fleets", "a.csv", A_LIST)
    Import.objects.filter(pk=made.pk).update(status=status)
    return made


def a_question():
    return ask_question(User.objects.get(username="post"), Job.objects.get(vehicle__unit="Van 9"), "What is scrub?")


def a_letter(vehicle):
    """One that was refused."""
    contact = a_contact(vehicle)
    return Letter.objects.update_or_create(
        key="k", defaults={"contact": contact, "to": contact.email, "subject": "s", "body": "b", "status": "refused"}
    )[0]


def with_cameras():
    device = a_device()
    device.identity = {"rig": {"cameras": []}}
    device.save()
    return device


def a_check():
    """A self-check that is under way."""
    return a_device().self_checks.get()


def a_calibration(person):
    """One that is under way, with results that may be used."""
    device = with_cameras()
    found = device.calibrations.first()
    return found or Calibration.objects.create(device=device, by=person, rig={"cameras": []}, results={"cameras": []})


def a_held_shot(person):
    calibration = a_calibration(person)
    return calibration, str(HeldShot.objects.get_or_create(calibration=calibration)[0].pk)


def a_shot(person, job):
    return Shot.objects.create(
        job=job, by=person, sequence=950, phase="set", move="still", rig={"cameras": []}, taken={}
    )


def actions():
    """Every public function of a module under ``actions`` that a person is handed to."""
    for app in pkgutil.iter_modules(rectaxis.__path__, "rectaxis."):
        try:
            package = importlib.import_module(f"{app.name}.actions")
        except ModuleNotFoundError:
            continue
        for module in pkgutil.iter_modules(package.__path__, f"{package.__name__}."):
            for name, found in inspect.getmembers(importlib.import_module(module.name), inspect.isfunction):
                if (
                    found.__module__ == module.name
                    and not name.startswith("_")
                    and "person" in inspect.signature(found).parameters
                ):
                    yield found


class Actions(TestCase):
    @classmethod
    def setUpTestData(cls):
        put_out_the_demo()
        Specification.objects.create(name="Unused")
        cls.mara = User.objects.get(username="mara")
        other = Fleet.objects.exclude(name="Harbour Post").first()
        User.objects.create_user("stranger", password="x", role=User.Role.FLEET, fleet=other)
        User.objects.create_user("left", password="x", role=User.Role.TECHNICIAN, is_active=False)
        cls.people = {user.username: user for user in User.objects.all()}
        kit = Kit.objects.get(code="angle_gauge")
        gauge = Device.objects.create(kit=kit, name="Gauge", address="http://127.0.0.1:9", token="t")
        SelfCheck.objects.create(device=gauge, by=cls.mara)
        a_held_shot(cls.mara)
        van = Job.objects.get(vehicle__unit="Van 14")
        cls.jobs = {"open": Job.objects.get(vehicle__unit="Van 21"), "done": Job.objects.get(vehicle__unit="Van 9"),
                    "ended": Job.objects.get(vehicle__unit="Van 2")}  # fmt: skip
        for state in ("before", "after"):
            made = open_job(cls.mara, van.vehicle, van.kit, timezone.now(), simulation=van.simulation)
            look_over(cls.mara, made)
            read_all(cls.mara, made, "before")
            seal_phase(cls.mara, made, Phase.BEFORE)
            cls.jobs[state] = made
        for state, job in cls.jobs.items():
            if state in ("open", "before", "after"):
                record_move(cls.mara, job, uuid7(), ROD, by="2")
                mark_damage(cls.mara, job, uuid7(), 0.1, 0.1, "dent")
                add_photo(cls.mara, job, str(DAMAGE), "b.jpg", drawn_photo())
        read_all(cls.mara, cls.jobs["after"], "after")
        seal_phase(cls.mara, cls.jobs["after"], Phase.AFTER)
        ended = cls.jobs["ended"]
        named = {"make": van.vehicle.make, "model": van.vehicle.model}
        Taught.objects.create(job=cls.jobs["done"], family="tie_rod()", share=0.9, u=0.1, **named)
        Photo.objects.create(
            job=ended, by=cls.mara, slot=str(DAMAGE), digest="0", width=1, height=1, name="c", sequence=900
        )
        Mark.objects.create(job=ended, by=cls.mara, x=0, y=0, what="dent", sequence=901)
        Move.objects.create(job=ended, by=cls.mara, axle=2, adjuster=ROD, start="0", end="1", effect={}, sequence=902)
        Job.objects.filter(pk=ended.pk).update(added=902)

    def counts(self):
        # One question for all: it is asked a thousand times.
        tables = [connection.ops.quote_name(model._meta.db_table) for model in COUNTED]
        with connection.cursor() as cursor:
            cursor.execute("SELECT " + ", ".join(f"(SELECT count(*) FROM {table})" for table in tables))
            return dict(zip(tables, cursor.fetchone(), strict=True))

    def attempt(self, call, name, about):
        """``done``, ``denied`` or ``refused``; what was done is undone."""
        before, outcome = self.counts(), "done"
        point = transaction.savepoint()
        try:
            call(self.people[name], about)
        except PermissionDenied:
            outcome = "denied"
        except ValueError as error:
            outcome = "refused"
            self.assertTrue(str(error).endswith("."), error)
        if outcome != "done":
            self.assertEqual(self.counts(), before)
        transaction.savepoint_rollback(point)
        return outcome

    def test_every_action_is_in_the_tables(self):
        self.assertEqual(set(actions()), {*ON_A_JOB, *OTHERS})

    def test_on_a_job_only_a_technician_and_only_while_its_record_is_open(self):
        for action, (call, states) in ON_A_JOB.items():
            for state, job in self.jobs.items():
                # Who may is asked before what state it is in: the others are sent away in one state as in another.
                for name in self.people if state == "open" else ("mara",):
                    expected = "denied" if name != "mara" else "done" if state in states else "refused"
                    with self.subTest(action=action.__name__, state=state, person=name):
                        self.assertEqual(self.attempt(call, name, Job.objects.get(pk=job.pk)), expected)

    def test_besides_jobs_those_who_work_here(self):
        for action, (call, allowed) in OTHERS.items():
            for name in self.people:
                with self.subTest(action=action.__name__, person=name):
                    expected = "done" if name in allowed else "denied"
                    expected = "refused" if (action, name) in NOTHING_THERE else expected
                    self.assertEqual(self.attempt(call, name, self.jobs["open"].vehicle), expected)

    def test_permission_is_asked_before_anything_that_was_sent_is_looked_at(self):
        for call in (
            lambda p, j: add_photo(p, j, str(DAMAGE), "a.jpg", b"no photo"),
            lambda p, j: read_in_job_file(p, j.vehicle, b"no file"),
            lambda p, j: save_entries(p, j, [{}]),
            lambda p, j: mark_damage(p, j, "no key", "x", "y", ""),
            lambda p, j: hold_job(p, j, "nothing"),
        ):
            self.assertEqual(self.attempt(call, "jonah", self.jobs["open"]), "denied")

    def test_what_was_not_sealed_while_a_job_was_open_is_not_sealed_later(self):
        job = self.jobs["before"]
        read_all(self.mara, job, "after")
        hand_over(self.mara, job)
        self.assertEqual(self.attempt(lambda p, j: seal_phase(p, j, Phase.AFTER), "mara", job), "refused")

    def test_nothing_of_another_job_is_taken_for_this_ones(self):
        here, other = self.jobs["open"], self.jobs["before"]
        key, moved = Mark.objects.filter(job=other).first().pk, Move.objects.filter(job=other).first().pk
        entry = Entry.objects.filter(job=other, slot=SLOT).first()
        for call in (
            lambda p, j: mark_damage(p, j, key, 0.5, 0.5, "dent"),
            lambda p, j: undo_move(p, j, uuid7(), moved),
            lambda p, j: strike_move(p, j, uuid7(), moved),
            lambda p, j: record_move(p, j, moved, ROD, by="1"),
            lambda p, j: add_photo(p, j, f"{DAMAGE}/{key}", "a.jpg", drawn_photo()),
        ):
            self.assertEqual(self.attempt(call, "mara", here), "refused")
        item = {"id": str(entry.pk), "slot": SLOT, "typed": entry.typed}
        self.assertEqual([one.status for one in save_entries(self.mara, here, [item])], ["refused"])
