"""What a report says of a visit, as it stands now. It is stored in a seal, and read from there ever after."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import msgspec
from django.utils import timezone

from alignment.adjust.reach import say_left
from alignment.model.vehicle import the_axle
from alignment.procedure.checklist import (
    ADVICE_ROWS,
    FOLLOWED,
    NOT_DONE,
    RENEWED,
    UNSAFE,
    advice_slot,
    answered,
    open_advice_slot,
    part_name,
    tyre_slot,
    tyres,
)
from alignment.procedure.schools import REFERENCES
from alignment.procedure.stages import Gate
from alignment.quantities import QUANTITIES
from alignment.words.terms import TERMS
from rectaxis.business.models import the_business
from rectaxis.drawing.strips import Judged, Words
from rectaxis.people.models import User
from rectaxis.record import seal
from rectaxis.record.models import Job
from rectaxis.record.slot import DAMAGE, SEALED, OfAdjuster, Phase, of_damage
from rectaxis.visit.carried import say_checked
from rectaxis.visit.fit import found_and_left, leaving
from rectaxis.visit.judged import judged
from rectaxis.visit.measured import every_angle
from rectaxis.visit.read_off import read_off
from rectaxis.visit.sections import findings, sections
from rectaxis.visit.set_up_sheet import set_up_sheet
from rectaxis.visit.visit import Visit

STYLES = tuple(User.AngleStyle.values)
"""Angle styles in which everything is said, so that each reader sees their own."""
TYRE_CELLS = ("pressure", "tread-outer", "tread-middle", "tread-inner", "wear")


def statement_of(visit: Visit) -> seal.Statement:
    """What a report says now, with who signed it."""
    said = _unsigned(visit)
    digest = said.to_sign
    return msgspec.structs.replace(
        said,
        signatures=tuple(
            seal.Signed(one.whose, one.name, one.at, msgspec.convert(one.strokes, seal.STROKES), one.signed == digest)
            for one in visit.journal.signatures
        ),
    )


def _unsigned(visit: Visit) -> seal.Statement:
    """What a report says now, but for who signed it."""
    journal, decisions, rows = visit.journal, visit.decisions, _judged(visit)
    found, left = found_and_left(visit, rows)
    return seal.Statement(
        subject=_subject(visit),
        phase=next((str(phase) for phase in reversed(SEALED) if phase in journal.seals), ""),
        number=visit.job.report_number,
        sender=_sender(),
        ended=_why_ended(visit),
        found=found,
        left=left,
        leaving=leaving(visit),
        judged=rows,
        checked=say_checked(visit),
        followed=tuple(_followed(visit)),
        confirmed=_confirmed(visit),
        terms=_terms(rows),
        sentences=_sentences(visit),
        answers=dict(_answers(visit)),
        tyres=tuple(_tyres(visit)),
        looked=tuple(_looked(visit)),
        findings=tuple(findings(visit)),
        sections=sections(visit),
        gates=tuple(_gates(visit)),
        reference=seal.Chosen(decisions.reference, REFERENCES[decisions.reference][0].lower()),
        school=seal.Chosen(decisions.school.code, decisions.school.title),
        moves=tuple(
            seal.Moved(move.adjuster, move.start, move.end, words, move.by.shown_name, move.at)
            for words, move in visit.moves_said()
        ),
        tightened=tuple(seal.OfOne(one.adjuster, one.label, one.typed) for one in visit.fastened if one.typed),
        left_alone=tuple(_left_alone(visit)),
        still_outside=tuple(_still_outside(visit)),
        left_out=tuple(_left_out(visit)),
        advice=tuple(_advice(visit)),
        marks=tuple(seal.Marked(str(mark.pk), mark.what) for mark in journal.marks),
        photos=tuple(_photos(visit)),
        read=tuple(read_off(visit)),
        measured=every_angle(visit, STYLES),
        set_up=set_up_sheet(visit, STYLES),
    )


def _terms(rows: Sequence[Judged]) -> tuple[tuple[str, str], ...]:
    """What the words for the judged angles mean."""
    labels = {QUANTITIES[row.quantity].label for row in rows}
    return tuple((term, meaning) for term, meaning in TERMS if term in labels)


def _gates(visit: Visit) -> Iterator[seal.Passed]:
    for gate, entry in visit.progress.reasons():
        yield seal.Passed(gate.code, gate.text, entry.typed, entry.by.shown_name)
    for gate in _gone_without(visit):
        yield seal.Passed(gate.code, gate.text, "", "")


def _left_alone(visit: Visit) -> Iterator[seal.OfOne]:
    """The adjusters of which somebody said why they are left alone."""
    for one in visit.hardware:
        if why := visit.journal.answer(OfAdjuster("skip", one.id)):
            yield seal.OfOne(one.id, visit.snapshot.name_of(one), why)


def _subject(visit: Visit) -> seal.Subject:
    job, rig, spec = visit.job, visit.snapshot.rig, visit.snapshot.spec
    vehicle = job.vehicle
    return seal.Subject(
        unit=vehicle.unit, fleet=vehicle.fleet.name, make=vehicle.make, model=vehicle.model,
        registration=vehicle.registration, day=timezone.localdate(job.planned_at), technician=job.technician.shown_name,
        kit=rig.name, serial=rig.serial, certified_until=rig.certified_until, figures=spec.name, figures_source=spec.source, toe_only=rig.toe_only,
        vin=vehicle.vin, asked=job.asked, group=visit.snapshot.subject.group, duals=tuple(sorted(visit.snapshot.subject.duals)),
    )  # fmt: skip


def _sender() -> seal.Sender | None:
    """The business that does the work; None where it has not said how it is called."""
    business = the_business()
    if not business.name:
        return None
    return seal.Sender(
        business.name,
        business.address,
        business.contact,
        business.logo,
        business.words,
        business.dates,
        business.time_zone,
    )


def _why_ended(visit: Visit) -> str:
    """Why a job was ended early, empty where it was not."""
    if visit.job.status != Job.Status.ENDED:
        return ""
    return next((event.text for event in reversed(visit.journal.events) if event.what == Job.Status.ENDED), "")


def _gone_without(visit: Visit) -> list[Gate]:
    """What a job that is handed over was gone on without, and nobody said why."""
    return visit.progress.went_on_without() if visit.job.status == Job.Status.DONE else []


def _judged(visit: Visit) -> tuple[Judged, ...]:
    """The verdicts of the last sealed phase, with the before's values beside the after's."""
    before, after = (visit.journal.seals.get(phase) for phase in SEALED)
    newest = after or before
    if newest is None:
        return ()
    earlier = before.results["verdicts"] if after and before else ()
    return judged(
        visit.snapshot.vehicle,
        newest.results["verdicts"],
        newest.job_file["spec"],
        earlier,
        STYLES,
        visit.changed_paths(),
    )


def _confirmed(visit: Visit) -> tuple[str, ...]:
    """The axles of which readings of the after were confirmed, in the vehicle's order."""
    axles = {station.reading["axle"] for station in visit.confirming.confirmed}
    return tuple(the_axle(visit.snapshot.vehicle, axle) for axle in sorted(axles))


def _sentences(visit: Visit) -> dict[str, dict[str, tuple[str, ...]]]:
    """What the results said when each phase was sealed, by phase and angle style."""
    return {
        phase: {style: tuple(lines) for style, lines in sealed.sentences.items()}
        for phase, sealed in visit.journal.seals.items()
    }


def _answers(visit: Visit) -> Iterator[tuple[str, seal.Answered]]:
    for slot, question in visit.snapshot.question.items():
        typed = visit.journal.answer(slot)
        if typed:
            yield slot, seal.Answered(question.label, typed, question.say(typed), visit.journal.answer(question.why))


def _looked(visit: Visit) -> Iterator[seal.Answered]:
    """What was looked over, the load and the ground, as answered."""
    looked = (question for question in visit.snapshot.questions["look"] if question.group in ("component", "standing"))
    stood = (question for question in visit.snapshot.questions["rig"] if not question.group)
    for question in (*looked, *stood):
        typed = visit.journal.answer(question.slot)
        if typed and question.what == "choice":
            label = part_name(question.label) if question.group == "component" else question.label
            yield seal.Answered(label, typed, question.say(typed), visit.journal.answer(question.why))


def _caption(visit: Visit, slot: str) -> str:
    """What a photo shows: the part it was taken at, or the damage."""
    question = visit.snapshot.question.get(slot)
    if question is not None:
        return part_name(question.label)
    marks = {str(of_damage(mark.pk)): mark.what for mark in visit.journal.marks}
    return marks.get(slot, "Damage already there" if slot == str(DAMAGE) else "")


def _tyres(visit: Visit) -> Iterator[tuple[str, tuple[str, ...]]]:
    """What was found on each tyre, for those on which anything was."""
    question = visit.snapshot.question
    for at, name, _, _ in tyres(visit.snapshot.vehicle, visit.snapshot.subject.duals):
        slots = [tyre_slot(at, cell) for cell in TYRE_CELLS]
        typed = [visit.journal.answer(slot) for slot in slots]
        if any(typed):
            yield (
                name,
                tuple(
                    question[slot].say(text, unit=False) if text else ""
                    for slot, text in zip(slots, typed, strict=True)
                ),
            )


def _still_outside(visit: Visit) -> Iterator[Words]:
    """What is outside in the after, with what would set it."""
    if Phase.AFTER not in visit.journal.seals:
        return
    results = visit.results(Phase.AFTER)
    for rule in results.rules:
        estimate = results.estimates.get(rule.path)
        if results.judged[rule.path] == "outside" and estimate is not None:
            yield {style: say_left(visit.snapshot.vehicle, rule, estimate, visit.hardware, style) for style in STYLES}


def _left_out(visit: Visit) -> Iterator[seal.LeftOut]:
    """What could not be done or is unsafe, each with its reason."""
    asked = list(visit.snapshot.question.values())
    for answer in (UNSAFE, NOT_DONE):
        for question in answered(asked, visit.journal.answers, answer):
            said = f"{question.label}: {question.say(answer)}"
            part = part_name(question.label) if answer == UNSAFE else ""
            yield seal.LeftOut(question.slot, answer, said, visit.journal.answer(question.why), part)


def _followed(visit: Visit) -> Iterator[str]:
    """What became of each piece of the last visit's advice of which somebody said it."""
    for number, (advised, _) in enumerate(visit.snapshot.layout.advice, start=1):
        slot = open_advice_slot(number)
        if answer := visit.journal.answer(slot):
            why = visit.journal.answer(f"{slot}/why")
            yield f"{advised}: {FOLLOWED[answer]}" + (f" ({why})" if why else "")


def _advice(visit: Visit) -> Iterator[seal.Advised]:
    for number, (advised, due) in enumerate(visit.snapshot.layout.advice, start=1):
        if visit.journal.answer(open_advice_slot(number)) == RENEWED:
            yield seal.Advised(advised, due)
    for row in range(1, ADVICE_ROWS + 1):
        said = visit.journal.answer(advice_slot(row))
        if said:
            yield seal.Advised(said, visit.journal.answer(f"{advice_slot(row)}/due"))


def _photos(visit: Visit) -> Iterator[seal.Photographed]:
    """Every photo in sight, in the order in which they were taken in."""
    photos = (photo for of_slot in visit.journal.photos.values() for photo in of_slot)
    for photo in sorted(photos, key=lambda photo: photo.sequence):
        yield seal.Photographed(
            str(photo.pk), photo.slot, photo.name, photo.digest, photo.width, photo.height, _caption(visit, photo.slot)
        )
