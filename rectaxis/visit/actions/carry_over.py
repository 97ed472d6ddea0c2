"""What was written down before and would be typed again: carried into a visit as its work begins, and said so."""

from __future__ import annotations

from django.utils import timezone
from uuid6 import uuid7

from alignment.procedure.checklist import PASSED, size_slot
from rectaxis.record.journal import Journal
from rectaxis.record.models import Entry, Job
from rectaxis.record.slot import CARRIED, CHECKED, parse
from rectaxis.record.snapshot import Snapshot
from rectaxis.record.writing import Book
from rectaxis.visit.carried import PLACES, SIZES, checked_at, checked_by, checked_today
from rectaxis.visit.fields import Fields


def carry_over(book: Book) -> None:
    """Part of the first save of a visit, which has asked for permission and holds its lock.

    Tyre sizes and the places of tools come from the vehicle's last visit; the kit's self-check from its devices or a visit of the same day.
    """
    snapshot, journal = Snapshot.of(book.job), Journal(book.job)
    taken = {**_of_last_visit(snapshot), **_of_today(book.job, snapshot)}
    new = {slot: typed for slot, typed in taken.items() if slot not in journal.entries}
    book.add_all([
        Entry(pk=uuid7(), slot=slot, typed=typed, value=_value(snapshot, slot, typed)) for slot, typed in new.items()
    ])  # fmt: skip


def _value(snapshot: Snapshot, slot: str, typed: str) -> float | None:
    if slot in (str(CARRIED), str(CHECKED)):
        return None
    return Fields(snapshot).read(parse(slot), typed).value


def _of_last_visit(snapshot: Snapshot) -> dict[str, str]:
    layout = snapshot.layout
    sizes = {slot: size for axle, size in layout.sizes.items() if (slot := size_slot(int(axle))) in snapshot.question}
    asked = {f"rig/place/{number.slot}" for station in snapshot.rig.stations for number in station.set_up_numbers()}
    placed = layout.placed.get(snapshot.rig.code, {})
    places = {slot: text for slot, text in placed.items() if slot in asked}
    codes = [code for code, some in ((SIZES, sizes), (PLACES, places)) if some]
    return {**sizes, **places, str(CARRIED): " ".join(codes)} if codes else {}


def _of_today(job: Job, snapshot: Snapshot) -> dict[str, str]:
    """The self-check that the kit passed today at another vehicle; nothing where it did not, or was not asked."""
    steps = [question.slot for question in snapshot.questions["rig"] if question.group == "self-check"]
    if job.kit_id is None or not steps:
        return {}
    midnight = timezone.localtime().replace(hour=0, minute=0, second=0, microsecond=0)
    today = Entry.objects.filter(
        job__kit=job.kit_id, job__simulation__isnull=job.simulation is None, at__gte=midnight, counts=True,
        slot__in=[*steps, str(CHECKED)],
    ).exclude(job=job)  # fmt: skip
    stands: dict[tuple[object, str], Entry] = {}
    for entry in today.select_related("job__vehicle").order_by("at", "sequence"):
        stands[entry.job_id, entry.slot] = entry
    newest = max(stands.values(), key=lambda entry: entry.at, default=None)
    run = checked_today(job)
    if run is not None and run.ended_at is not None and (newest is None or run.ended_at > newest.at):
        return {**dict.fromkeys(steps, PASSED), str(CHECKED): checked_by(run)} if run.passed else {}
    if newest is None:
        return {}
    # What was found last counts: a kit that failed since the morning is to be checked again.
    answers = [stands.get((newest.job_id, step)) for step in steps]
    if any(answer is None or answer.typed != PASSED for answer in answers):
        return {}
    earlier = stands.get((newest.job_id, str(CHECKED)))
    first = earlier.typed if earlier is not None else checked_at(newest.at, newest.job.vehicle.unit)
    return {**dict.fromkeys(steps, PASSED), str(CHECKED): first}
